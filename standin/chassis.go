package standin

import (
	"math"
	"net/http"
	"strings"
)

// reading types of the Sensor schema, by quantity of a channel.
var readingTypes = map[string][2]string{
	"power": {"Power", "W"}, "current": {"Current", "A"}, "voltage": {"Voltage", "V"}, "temperature": {"Temperature", "Cel"},
	"speed": {"Rotational", "{rev}/min"}, "duty": {"Percent", "%"},
}

// boardSensors returns the channels that the board's own controller can read, without the cores' own.
func (r *Rig) boardSensors() []told {
	var out []told
	for _, c := range channels(r) {
		if _, known := readingTypes[c.Quantity]; known && c.Core < 0 {
			out = append(out, c)
		}
	}
	return out
}

func (r *Rig) reading(c told) any {
	if r.phase == off {
		return nil
	}
	s := r.machine.State()
	return math.Round(c.sensor.Read(c.value(&s), r.noise)*1000) / 1000
}

func (r *Rig) handleChassis(get func(string, func() object)) {
	ok := object{"State": "Enabled", "Health": "OK"}
	get("/redfish/v1/Chassis", func() object {
		return collection("/redfish/v1/Chassis", "#ChassisCollection.ChassisCollection", "Chassis", chassisPath)
	})
	get(chassisPath, func() object {
		return object{
			"@odata.id": chassisPath, "@odata.type": "#Chassis.v1_23_0.Chassis", "Id": "1", "Name": "Chassis", "ChassisType": "MidTower",
			"Status":  ok,
			"Sensors": refTo(chassisPath + "/Sensors"), "Thermal": refTo(chassisPath + "/Thermal"), "Power": refTo(chassisPath + "/Power"),
			"Links": object{"ComputerSystems": []object{refTo(systemPath)}, "ManagedBy": []object{refTo(managerPath)}},
		}
	})
	paths := []string{}
	for _, c := range r.boardSensors() {
		path := chassisPath + "/Sensors/" + strings.ReplaceAll(c.Key, ".", "-")
		paths = append(paths, path)
		get(path, func() object {
			kind := readingTypes[c.Quantity]
			return object{
				"@odata.id": path, "@odata.type": "#Sensor.v1_7_0.Sensor", "Id": path[strings.LastIndex(path, "/")+1:], "Name": c.Label,
				"ReadingType": kind[0], "ReadingUnits": kind[1], "Reading": r.reading(c), "Status": ok,
			}
		})
	}
	get(chassisPath+"/Sensors", func() object {
		return collection(chassisPath+"/Sensors", "#SensorCollection.SensorCollection", "Sensors", paths...)
	})
	get(chassisPath+"/Thermal", func() object {
		temperatures, fans := []object{}, []object{}
		for i, c := range r.boardSensors() {
			switch c.Quantity {
			case "temperature":
				temperatures = append(temperatures, object{"MemberId": i, "Name": c.Label, "ReadingCelsius": r.reading(c), "Status": ok})
			case "speed":
				fans = append(fans, object{"MemberId": i, "Name": c.Label, "Reading": r.reading(c), "ReadingUnits": "RPM", "Status": ok})
			}
		}
		return object{"@odata.id": chassisPath + "/Thermal", "@odata.type": "#Thermal.v1_7_1.Thermal", "Id": "Thermal", "Name": "Thermal",
			"Temperatures": temperatures, "Fans": fans}
	})
	get(chassisPath+"/Power", func() object {
		control, voltages := []object{}, []object{}
		for i, c := range r.boardSensors() {
			switch c.Quantity {
			case "power":
				control = append(control, object{"MemberId": i, "Name": c.Label, "PowerConsumedWatts": r.reading(c)})
			case "voltage":
				voltages = append(voltages, object{"MemberId": i, "Name": c.Label, "ReadingVolts": r.reading(c), "Status": ok})
			}
		}
		return object{"@odata.id": chassisPath + "/Power", "@odata.type": "#Power.v1_7_1.Power", "Id": "Power", "Name": "Power",
			"PowerControl": control, "Voltages": voltages}
	})
	get("/redfish/v1/Managers", func() object {
		return collection("/redfish/v1/Managers", "#ManagerCollection.ManagerCollection", "Managers", managerPath)
	})
	get(managerPath, func() object {
		return object{"@odata.id": managerPath, "@odata.type": "#Manager.v1_19_0.Manager", "Id": "1", "Name": "Board controller",
			"ManagerType":     "BMC",
			"FirmwareVersion": "1.4.2", "Status": ok, "Links": object{"ManagerForServers": []object{refTo(systemPath)}}}
	})
}

func (r *Rig) handleSessions(mux *http.ServeMux, get func(string, func() object)) {
	get("/redfish/v1/SessionService", func() object {
		return object{"@odata.id": "/redfish/v1/SessionService", "@odata.type": "#SessionService.v1_1_8.SessionService", "Id": "SessionService",
			"Name": "Session Service", "ServiceEnabled": true, "SessionTimeout": 1800, "Sessions": refTo(sessionsPath)}
	})
	get(sessionsPath, func() object {
		paths := []string{}
		for id := range r.sessions.open {
			paths = append(paths, sessionsPath+"/"+id)
		}
		return collection(sessionsPath, "#SessionCollection.SessionCollection", "Sessions", paths...)
	})
	show := func(s session) object {
		return object{"@odata.id": sessionsPath + "/" + s.id, "@odata.type": "#Session.v1_7_0.Session", "Id": s.id, "Name": "Session " + s.id,
			"UserName": s.user}
	}
	mux.HandleFunc("POST "+sessionsPath, func(w http.ResponseWriter, q *http.Request) {
		var body struct{ UserName, Password string }
		if !decode(w, q, &body) {
			return
		}
		r.mu.Lock()
		defer r.mu.Unlock()
		if !r.sessions.knows(body.UserName, body.Password) {
			refuse(w, http.StatusUnauthorized, message("ResourceAtUriUnauthorized", "The user name or password is wrong.",
				"Correct them and try again."))
			return
		}
		s := r.sessions.create(body.UserName)
		w.Header().Set("X-Auth-Token", s.token)
		w.Header().Set("Location", sessionsPath+"/"+s.id)
		answer(w, http.StatusCreated, show(s))
	})
	mux.HandleFunc("GET "+sessionsPath+"/{id}", func(w http.ResponseWriter, q *http.Request) {
		r.mu.Lock()
		s, ok := r.sessions.open[q.PathValue("id")]
		r.mu.Unlock()
		if !ok {
			refuse(w, http.StatusNotFound, message("ResourceMissingAtURI", "There is no such session.", "Correct the URI.", q.URL.Path))
			return
		}
		answer(w, http.StatusOK, show(s))
	})
	mux.HandleFunc("DELETE "+sessionsPath+"/{id}", func(w http.ResponseWriter, q *http.Request) {
		r.mu.Lock()
		delete(r.sessions.open, q.PathValue("id"))
		r.mu.Unlock()
		w.WriteHeader(http.StatusNoContent)
	})
}
