package standin

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"slices"
	"strings"
)

// Paths of the service's resources, as DSP0266 and its schemas lay them out.
const (
	rootPath     = "/redfish/v1/"
	systemPath   = "/redfish/v1/Systems/1"
	biosPath     = systemPath + "/Bios"
	settingsPath = biosPath + "/Settings"
	chassisPath  = "/redfish/v1/Chassis/1"
	managerPath  = "/redfish/v1/Managers/1"
	sessionsPath = "/redfish/v1/SessionService/Sessions"
	registryID   = "BiosAttributeRegistryStandIn.v1_0_0"
)

// maxBody is the largest request body that the service reads.
const maxBody = 1 << 20

type object = map[string]any

// Handler serves the board's Redfish service.
func (r *Rig) Handler() http.Handler {
	mux := http.NewServeMux()
	get := func(path string, resource func() object) {
		mux.HandleFunc("GET "+path, func(w http.ResponseWriter, _ *http.Request) {
			r.mu.Lock()
			body := resource()
			r.mu.Unlock()
			answer(w, http.StatusOK, body)
		})
	}
	get("/redfish", func() object { return object{"v1": rootPath} })
	get("/redfish/v1", r.root)
	get("/redfish/v1/{$}", r.root)
	get("/redfish/v1/odata", func() object {
		return object{"@odata.context": "/redfish/v1/$metadata", "value": []object{
			{"name": "Service", "kind": "Singleton", "url": rootPath}, {"name": "Systems", "kind": "Singleton", "url": "/redfish/v1/Systems"}}}
	})
	mux.HandleFunc("GET /redfish/v1/$metadata", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/xml")
		_, _ = io.WriteString(w, `<?xml version="1.0"?>`+"\n"+
			`<edmx:Edmx xmlns:edmx="http://docs.oasis-open.org/odata/ns/edmx" Version="4.0"><edmx:DataServices/></edmx:Edmx>`)
	})
	get("/redfish/v1/Systems", func() object {
		return collection("/redfish/v1/Systems", "#ComputerSystemCollection.ComputerSystemCollection", "Computer Systems", systemPath)
	})
	get(systemPath, r.system)
	get(biosPath, r.bios)
	get(settingsPath, r.pending)
	mux.HandleFunc("PATCH "+settingsPath, r.patchSettings)
	mux.HandleFunc("POST "+systemPath+"/Actions/ComputerSystem.Reset", r.reset)
	mux.HandleFunc("POST "+biosPath+"/Actions/Bios.ResetBios", r.resetBios)
	r.handleRegistries(get)
	r.handleChassis(get)
	r.handleSessions(mux, get)
	mux.HandleFunc("/redfish/v1/", func(w http.ResponseWriter, q *http.Request) {
		switch q.URL.Path {
		case rootPath, systemPath, biosPath, settingsPath, "/redfish/v1/Systems":
			refuse(w, http.StatusMethodNotAllowed, message("OperationNotAllowed", "The HTTP method is not allowed on this resource.",
				"Use a method that the resource allows."))
		default:
			refuse(w, http.StatusNotFound, message("ResourceMissingAtURI", "The resource at the URI "+q.URL.Path+" was not found.",
				"Place a valid resource at the URI or correct the URI and resubmit the request.", q.URL.Path))
		}
	})
	return r.guard(mux)
}

// guard asks for credentials, except where the standard forbids it, and bounds bodies.
func (r *Rig) guard(next http.Handler) http.Handler {
	open := []string{"/redfish", "/redfish/v1", rootPath, "/redfish/v1/odata", "/redfish/v1/$metadata"}
	return http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		w.Header().Set("OData-Version", "4.0")
		q.Body = http.MaxBytesReader(w, q.Body, maxBody)
		login := q.Method == http.MethodPost && q.URL.Path == sessionsPath
		r.mu.Lock()
		allowed := login || slices.Contains(open, q.URL.Path) || r.sessions.allows(q)
		r.mu.Unlock()
		if !allowed {
			w.Header().Set("WWW-Authenticate", `Basic realm="board"`)
			refuse(w, http.StatusUnauthorized, message("NoValidSession", "There is no valid session established with the implementation.",
				"Establish a session before attempting any operations."))
			return
		}
		next.ServeHTTP(w, q)
	})
}

func (r *Rig) root() object {
	return object{
		"@odata.id": rootPath, "@odata.type": "#ServiceRoot.v1_15_0.ServiceRoot", "Id": "RootService", "Name": "Root Service",
		"RedfishVersion": "1.17.0", "UUID": r.uuid(), "Product": "Zero Keel stand-in (simulated)",
		"Systems": refTo("/redfish/v1/Systems"), "Chassis": refTo("/redfish/v1/Chassis"), "Managers": refTo("/redfish/v1/Managers"),
		"Registries": refTo("/redfish/v1/Registries"), "SessionService": refTo("/redfish/v1/SessionService"),
		"Links": object{"Sessions": refTo(sessionsPath)},
	}
}

func (r *Rig) uuid() string {
	h := hex.EncodeToString(hash(r.cfg.Name))
	return strings.Join([]string{h[:8], h[8:12], h[12:16], h[16:20], h[20:32]}, "-")
}

// progress tells how far the start has come, in the words of the standard.
func (r *Rig) progress() string {
	switch r.phase {
	case posting:
		return "SystemHardwareInitializationComplete"
	case booting:
		return "OSBootStarted"
	case running, frozen:
		return "OSRunning"
	case dead:
		return "MemoryInitializationStarted"
	}
	return "None"
}

func (r *Rig) system() object {
	p := r.cfg.Parts.Processor
	power, health := "On", "OK"
	if r.phase == off {
		power = "Off"
	}
	if r.phase == dead {
		health = "Critical"
	}
	return object{
		"@odata.id": systemPath, "@odata.type": "#ComputerSystem.v1_20_0.ComputerSystem", "Id": "1", "Name": r.cfg.Name,
		"SystemType": "Physical", "Manufacturer": r.cfg.Parts.Board.Maker, "Model": r.cfg.Parts.Board.Model + " (simulated)",
		"PowerState": power, "BiosVersion": "1.4.2", "UUID": r.uuid(),
		"Boot":             object{"BootSourceOverrideEnabled": "Disabled", "BootSourceOverrideTarget": "None", "BootSourceOverrideMode": "UEFI"},
		"BootProgress":     object{"LastState": r.progress()},
		"Status":           object{"State": "Enabled", "Health": health},
		"ProcessorSummary": object{"Count": 1, "CoreCount": p.Cores(), "Model": p.Name.String()},
		"MemorySummary":    object{"TotalSystemMemoryGiB": r.cfg.Parts.Memory.CapacityG},
		"Bios":             refTo(biosPath),
		"Links":            object{"Chassis": []object{refTo(chassisPath)}, "ManagedBy": []object{refTo(managerPath)}},
		"Actions": object{"#ComputerSystem.Reset": object{
			"target":                            systemPath + "/Actions/ComputerSystem.Reset",
			"ResetType@Redfish.AllowableValues": resetTypes,
		}},
	}
}

var resetTypes = []string{"On", "ForceOff", "GracefulShutdown", "GracefulRestart", "ForceRestart", "PowerCycle", "FullPowerCycle"}

func (r *Rig) bios() object {
	return object{
		"@odata.id": biosPath, "@odata.type": "#Bios.v1_2_1.Bios", "Id": "BIOS", "Name": "Firmware settings in force",
		"AttributeRegistry": registryID, "Attributes": maps.Clone(r.state.Attributes),
		"@Redfish.Settings": object{
			"@odata.type": "#Settings.v1_3_5.Settings", "SettingsObject": refTo(settingsPath),
			"SupportedApplyTimes": []string{"OnReset"},
		},
		"Actions": object{"#Bios.ResetBios": object{"target": biosPath + "/Actions/Bios.ResetBios"}},
	}
}

func (r *Rig) pending() object {
	return object{
		"@odata.id": settingsPath, "@odata.type": "#Bios.v1_2_1.Bios", "@odata.etag": r.etag(), "Id": "Settings",
		"Name": "Firmware settings for the next start", "AttributeRegistry": registryID, "Attributes": maps.Clone(r.state.Pending),
	}
}

func (r *Rig) etag() string {
	text, _ := json.Marshal(r.state.Pending) // a map of strings and ints always marshals
	return fmt.Sprintf(`"%d-%s"`, r.state.Revision, hex.EncodeToString(hash(string(text)))[:12])
}

func (r *Rig) patchSettings(w http.ResponseWriter, q *http.Request) {
	var body struct {
		Attributes map[string]any `json:"Attributes"`
		ApplyTime  *struct {
			ApplyTime string
		} `json:"@Redfish.SettingsApplyTime"`
	}
	if !decode(w, q, &body) {
		return
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if match := q.Header.Get("If-Match"); match != "" && match != "*" && match != r.etag() {
		refuse(w, http.StatusPreconditionFailed, message("PreconditionFailed",
			"The ETag supplied did not match the ETag required to change this resource.", "Try the operation again using the appropriate ETag."))
		return
	}
	var faults []object
	if len(body.Attributes) == 0 {
		faults = append(faults, message("PropertyMissing",
			"The property Attributes is a required property and must be included in the request.",
			"Ensure that the property is in the request body and has a valid value and resubmit the request.", "Attributes"))
	}
	if body.ApplyTime != nil && body.ApplyTime.ApplyTime != "OnReset" {
		faults = append(faults, message("PropertyValueNotInList", "The apply time is not supported.", "Use OnReset.", body.ApplyTime.ApplyTime))
	}
	entries := r.registryEntries()
	taken := object{}
	for _, name := range slices.Sorted(maps.Keys(body.Attributes)) {
		value, fault := entries[name].take(name, body.Attributes[name])
		if fault != nil {
			faults = append(faults, fault)
			continue
		}
		taken[name] = value
	}
	if len(faults) > 0 {
		refuse(w, http.StatusBadRequest, faults...)
		return
	}
	maps.Copy(r.state.Pending, taken)
	r.state.Revision++
	r.keep()
	w.Header().Set("ETag", r.etag())
	answer(w, http.StatusOK, r.pending())
}

func (r *Rig) reset(w http.ResponseWriter, q *http.Request) {
	var body struct{ ResetType string }
	if !decode(w, q, &body) {
		return
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	switch {
	case !slices.Contains(resetTypes, body.ResetType):
		refuse(w, http.StatusBadRequest, message("ActionParameterNotSupported",
			fmt.Sprintf("The parameter ResetType with the value %q is not supported.", body.ResetType),
			"Use one of "+strings.Join(resetTypes, ", ")+".", "ResetType"))
		return
	case body.ResetType == "On" && r.phase != off:
		// Already on: nothing to do, as the standard has it.
	case body.ResetType == "ForceOff", body.ResetType == "GracefulShutdown" && r.phase != running:
		r.powerOff()
	case body.ResetType == "GracefulShutdown":
		r.shutDown()
	case strings.HasPrefix(body.ResetType, "Graceful") && r.phase != running:
		refuse(w, http.StatusConflict, message("ResourceInStandby", "The operating system does not answer.", "Use a forced reset."))
		return
	case body.ResetType == "GracefulRestart":
		r.shutDown()
		r.powerOn()
	case body.ResetType == "FullPowerCycle":
		r.loseSupply()
		r.powerOn()
	default:
		r.powerOn()
	}
	r.keep()
	w.WriteHeader(http.StatusNoContent)
}

func (r *Rig) resetBios(w http.ResponseWriter, _ *http.Request) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.state.Pending = defaults(&r.cfg.Parts)
	r.state.Revision++
	r.keep()
	w.WriteHeader(http.StatusNoContent)
}

// decode reads a request's JSON object; it answers itself when that fails.
func decode(w http.ResponseWriter, q *http.Request, into any) bool {
	text, err := io.ReadAll(q.Body)
	switch {
	case err != nil:
		refuse(w, http.StatusRequestEntityTooLarge, message("PayloadTooLarge", "The supplied payload exceeds the maximum size supported.",
			"Send a smaller request."))
	case len(strings.TrimSpace(string(text))) == 0:
		refuse(w, http.StatusBadRequest, message("EmptyJSON",
			"The request body submitted contained an empty JSON object and the service is unable to process it.",
			"Add properties in the JSON object and resubmit the request."))
	default:
		if err := json.Unmarshal(text, into); err == nil {
			return true
		}
		refuse(w, http.StatusBadRequest, message("MalformedJSON",
			"The request body submitted was malformed JSON and could not be parsed by the receiving service.",
			"Ensure that the request body is valid JSON and resubmit the request."))
	}
	return false
}

// message builds a message of the Base registry. args are its arguments, the first the property concerned.
func message(id, text, resolution string, args ...string) object {
	m := object{
		"@odata.type": "#Message.v1_1_2.Message", "MessageId": "Base.1.18." + id, "Message": text,
		"MessageSeverity": "Warning", "Resolution": resolution,
	}
	if len(args) > 0 {
		m["MessageArgs"] = args
		if !strings.HasPrefix(args[0], "/") {
			m["RelatedProperties"] = []string{"#/" + args[0]}
		}
	}
	return m
}

func refuse(w http.ResponseWriter, status int, messages ...object) {
	code, text := messages[0]["MessageId"], messages[0]["Message"]
	if len(messages) > 1 {
		code, text = "Base.1.18.GeneralError", "A general error has occurred. See ExtendedInfo for more information."
	}
	answer(w, status, object{"error": object{"code": code, "message": text, "@Message.ExtendedInfo": messages}})
}

func answer(w http.ResponseWriter, status int, body object) {
	text, err := json.Marshal(body)
	if err != nil {
		http.Error(w, "cannot write the answer", http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	if etag, ok := body["@odata.etag"].(string); ok {
		w.Header().Set("ETag", etag)
	}
	w.WriteHeader(status)
	_, _ = w.Write(append(text, '\n'))
}

func refTo(path string) object { return object{"@odata.id": path} }

func collection(path, kind, name string, members ...string) object {
	list := make([]object, len(members))
	for i, m := range members {
		list[i] = refTo(m)
	}
	return object{"@odata.id": path, "@odata.type": kind, "Name": name, "Members": list, "Members@odata.count": len(list)}
}

func hash(text string) []byte {
	sum := sha256.Sum256([]byte(text))
	return sum[:]
}
