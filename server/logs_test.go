package server_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"net/http"
	"strings"
	"testing"
	"time"

	"zerokeel/core/channel"
	"zerokeel/core/part"
	"zerokeel/link"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/standin"
)

// upload sends a table and returns the status and the answer.
func upload(t testing.TB, address, path string, table io.Reader) (int, []byte) {
	t.Helper()
	request, err := http.NewRequest("POST", address+path, table)
	if err != nil {
		t.Fatal(err)
	}
	request.Header.Set("Content-Type", "text/csv")
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	text, err := io.ReadAll(response.Body)
	if err := errors.Join(err, response.Body.Close()); err != nil {
		t.Fatal(err)
	}
	return response.StatusCode, text
}

// TestLogsAreJoinedByTime: a wall meter's log in local time, its columns mapped once, lands on the trial's axis, in its
// figures and exports, and goes again.
func TestLogsAreJoinedByTime(t *testing.T) {
	rig := servertest.Start(t).AddRig(petrel(t, nil), 600)
	rig.Fit(rig.Trims()[0].Id)
	trial := rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("heavy", 60), servertest.Leg("idle", 30)}}).Id)
	start := *trial.StartedAt
	path := fmt.Sprintf("/api/trials/%d/logs", trial.Id)
	zone := start.Add(2 * time.Hour) // summer time
	var b strings.Builder
	b.WriteString("Meter of the bench\r\nDate;Time;Power outlet [W];Hum [%];Remark\r\n")
	for s := range 100 {
		at := zone.Add(time.Duration(s) * time.Second)
		power := fmt.Sprintf("%d,5", 200+s)
		if s == 20 {
			power = "?"
		}
		if s == 30 {
			power = "so many"
		}
		fmt.Fprintf(&b, "%s;%s;40,%d;\r\n", at.Format("02.01.2006;15:04:05.000"), power, s%10)
		if s == 40 {
			b.WriteString("cut o\r\n")
		}
	}
	var layout api.LogLayout
	status, text := upload(t, rig.Address, path+"/layout", strings.NewReader(b.String()[:3000]))
	if err := json.Unmarshal(text, &layout); err != nil || status != 200 {
		t.Fatalf("%d %s", status, text)
	}
	if layout.ShiftS != -7200 || layout.Delimiter != ";" || !layout.DecimalComma || layout.Remembered ||
		layout.Columns[2].Channel != "log.power-outlet" || layout.Columns[3].Channel != "log.hum" || !layout.Columns[0].Time {
		t.Fatalf("the layout: %+v", layout)
	}
	// The stand-in has a wall meter of its own.
	mapping := api.LogMapping{}
	for _, c := range layout.Columns {
		if c.Name == "Power outlet" {
			c.Channel = "power.wall"
		}
		mapping.Columns = append(mapping.Columns, api.LogTarget{Column: c.Name, Channel: c.Channel, Label: c.Label})
	}
	rig.Call("PUT", "/api/log-sources/"+layout.Source, mapping, 204, nil)
	if status, text := upload(t, rig.Address, path, strings.NewReader(b.String())); status != 422 ||
		!strings.Contains(string(text), "the rig tells power.wall itself") {
		t.Fatalf("%d %s", status, text)
	}
	mapping.Columns[2].Channel, mapping.Columns[2].Label = "log.outlet", "Outlet"
	rig.Call("PUT", "/api/log-sources/"+layout.Source, mapping, 204, nil)
	join := func() api.JoinedLog {
		var out api.JoinedLog
		status, text := upload(t, rig.Address, path+"?name=meter.csv", strings.NewReader(b.String()))
		if err := json.Unmarshal(text, &out); err != nil || status != 201 {
			t.Fatalf("%d %s", status, text)
		}
		return out
	}
	joined := join()
	if l := joined.Log; l.Lines != 100 || l.Used < 61 || l.Broken != 2 || len(joined.Faults) != 2 || joined.Faults[0].Field != "line 33" ||
		joined.Faults[1].Field != "line 44" {
		t.Errorf("joined: %+v", joined)
	}
	var telemetry api.Telemetry
	rig.Call("GET", fmt.Sprintf("/api/trials/%d/telemetry?keys=log.*&fromS=0&toS=60&buckets=60", trial.Id), nil, 200, &telemetry)
	if len(telemetry.Channels) != 2 || telemetry.Channels[0].Label != "Outlet" || telemetry.Channels[0].Unit != "W" {
		t.Fatalf("telemetry: %+v", telemetry.Channels)
	}
	for i, at := range telemetry.Channels[0].T {
		if got := telemetry.Channels[0].Mean[i]; math.Abs(got-(200.5+at)) > 1.01 {
			t.Errorf("at %g s: %g W", at, got)
		}
	}
	rig.Call("GET", fmt.Sprintf("/api/trials/%d", trial.Id), nil, 200, &trial)
	if f := trial.Legs[0].Figures[len(trial.Legs[0].Figures)-2]; f.Key != "log.outlet" || f.Peak < 255 || f.Peak > 262 {
		t.Errorf("figures: %+v", trial.Legs[0].Figures)
	}
	if status, text := upload(t, rig.Address, path, strings.NewReader(b.String())); status != 422 ||
		!strings.Contains(string(text), "another log") {
		t.Errorf("joined twice: %d %s", status, text)
	}
	rig.Call("DELETE", fmt.Sprintf("%s/%d", path, joined.Log.Id), nil, 204, nil)
	rig.Call("DELETE", fmt.Sprintf("%s/%d", path, joined.Log.Id), nil, 404, nil)
	rig.Call("GET", fmt.Sprintf("/api/trials/%d/telemetry?keys=log.*", trial.Id), nil, 200, &telemetry)
	if len(telemetry.Channels) != 0 {
		t.Errorf("a log that is gone left %+v", telemetry.Channels)
	}
	for name, row := range map[string]struct{ table, field string }{
		"no table":         {"prose", "log"},
		"no time":          {"a,b\n5,2\n3,4\n", "time"},
		"another day":      {"time;x\n2001-01-01 00:00:00;1\n2001-02-01 00:00:00;2\n", "shiftS"},
		"mixed delimiters": {"time,x\n2026-01-01 00:00:00,1\n2026-01-01 00:00:01;2\n2026-01-01|3\n2026-01-01\t3\n", "log"},
	} {
		query := ""
		if name == "another day" {
			query = "?shiftS=0"
		}
		if status, text := upload(t, rig.Address, path+query, strings.NewReader(row.table)); status != 422 ||
			!strings.Contains(string(text), `"field":"`+row.field+`"`) {
			t.Errorf("%s: %d %s", name, status, text)
		}
	}
	var logs []api.SensorLog
	if rig.Call("GET", path, nil, 200, &logs); len(logs) != 0 {
		t.Errorf("something was half joined: %+v", logs)
	}
}

// endless is a log of so many bytes, a line a second from a moment on.
type endless struct {
	at   time.Time
	left int
	rest bytes.Buffer
	rows [10]string // the figures of a line, by its second
}

func newEndless(at time.Time, columns, size int) *endless {
	e := &endless{at: at, left: size}
	head := "time"
	for i := range columns {
		head += fmt.Sprintf(",Sensor %d [°C]", i)
		for k := range e.rows {
			e.rows[k] += fmt.Sprintf(",%d.%d", 30+i%60, k)
		}
	}
	e.rest.WriteString(head + "\n")
	return e
}

func (e *endless) Read(p []byte) (int, error) {
	for e.rest.Len() < len(p) && e.left > 0 {
		line := e.at.UTC().Format("2006-01-02 15:04:05") + e.rows[e.at.Second()%10] + "\n"
		e.rest.WriteString(line)
		e.left -= len(line)
		e.at = e.at.Add(time.Second)
	}
	return e.rest.Read(p)
}

// BenchmarkJoinLog joins a log of 1 GB, most of which lies outside the trial, as one that was never switched off.
func BenchmarkJoinLog(b *testing.B) {
	rig := servertest.Start(b).AddRig(petrel(b, nil), 600)
	rig.Fit(rig.Trims()[0].Id)
	trial := rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("idle", 3600)}}).Id)
	const size = 1 << 30
	for b.Loop() {
		in := newEndless(trial.StartedAt.Add(-time.Hour).Truncate(time.Second), 100, size)
		status, text := upload(b, rig.Address, fmt.Sprintf("/api/trials/%d/logs?shiftS=0", trial.Id), in)
		var joined api.JoinedLog
		if err := json.Unmarshal(text, &joined); err != nil || status != 201 || joined.Log.Used < 3500 {
			b.Fatalf("%d %s", status, text)
		}
		rig.Call("DELETE", fmt.Sprintf("/api/trials/%d/logs/%d", trial.Id, joined.Log.Id), nil, 204, nil)
	}
	b.ReportMetric(float64(size)/1e6/(b.Elapsed().Seconds()/float64(b.N)), "MB/s")
}

// TestMetersAreRead: what the rig cannot read is typed in, counts in the leg's figures and for the degrees above ambient;
// and a sensor that the board's sheet names is known by that name.
func TestMetersAreRead(t *testing.T) {
	b := servertest.Start(t)
	var channels []channel.Channel
	for _, key := range []string{"temperature.package", "voltage.chip.in0"} {
		channels = append(channels, channel.Channel{Key: key, Quantity: "temperature", Label: key, Unit: "°C", Core: -1})
	}
	f := b.AddFake("Fake", channels)
	trial := f.Run(60, func(o link.Order) {
		start := f.Now()
		samples := link.Samples{Order: o.ID, Channels: []string{"temperature.package"}, Values: [][]*float64{nil}}
		for s := range int64(61) {
			samples.At, samples.Values[0] = append(samples.At, start+1000*s), append(samples.Values[0], ptr(60+float64(s%7)))
		}
		f.Send(link.Frame{Started: &link.Started{Order: o.ID, At: start}}, link.Frame{Samples: &samples},
			link.Frame{Finished: &link.Finished{Order: o.ID, How: link.Done, RanS: 60}})
	})
	path := fmt.Sprintf("/api/trials/%d/readings", trial.Id)
	for _, in := range []api.Reading{{Channel: "power.wall", Value: 200, AtS: ptr(10.0)},
		{Channel: "power.wall", Value: 210, AtS: ptr(50.0)}, {Channel: "temperature.ambient", Value: 26}} {
		var out api.Reading
		b.Call("POST", path, in, 201, &out)
		if in.AtS == nil && math.Abs(*out.AtS-60) > 0.01 {
			t.Errorf("a reading without a time was taken at %g s", *out.AtS)
		}
	}
	for _, in := range []api.Reading{{Channel: "power.wall", Value: -1}, {Channel: "temperature.ambient", Value: 2000},
		{Channel: "power.wall", Value: 1, AtS: ptr(90.0)}, {Channel: "power.wall", Value: 1, Leg: ptr(int64(99))}} {
		b.Call("POST", path, in, 422, nil)
	}
	b.Call("GET", fmt.Sprintf("/api/trials/%d", trial.Id), nil, 200, &trial)
	figures := map[string]api.Figure{}
	for _, one := range trial.Legs[0].Figures {
		figures[one.Key] = one
	}
	if w := figures["power.wall"]; w.Mean != 205 || w.Peak != 210 || figures["temperature.ambient"].Mean != 26 {
		t.Errorf("figures: %+v", figures)
	}
	var telemetry api.Telemetry
	b.Call("GET", fmt.Sprintf("/api/trials/%d/telemetry?keys=temperature.above", trial.Id), nil, 200, &telemetry)
	if len(telemetry.Channels) != 1 || math.Abs(telemetry.Channels[0].Mean[0]-34) > 0.01 {
		t.Errorf("above ambient: %+v", telemetry.Channels)
	}
	rig := b.AddRig(petrel(t, func(c *standin.Config) {
		c.Parts.Board.Sensors = map[string]part.SensorName{"temperature.vrm": {Channel: "temperature.regulator", Label: "Regulator"},
			"power.wall": {Channel: "power.package"}}
	}), 600)
	rig.Fit(rig.Trims()[0].Id)
	trial = rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("heavy", 30)}}).Id)
	b.Call("GET", fmt.Sprintf("/api/trials/%d/telemetry?keys=temperature.regulator,temperature.vrm,power.wall", trial.Id), nil, 200,
		&telemetry)
	labels := map[string]string{}
	for _, ch := range telemetry.Channels {
		labels[ch.Key] = ch.Label
	}
	if len(labels) != 2 || labels["temperature.regulator"] != "Regulator" || labels["power.wall"] != "Wall power" {
		t.Errorf("named by the board: %v", labels)
	}
}

// TestLogsOfEveryClock: seconds since some start begin with the trial, times of day go on past midnight, stamps may have day
// and month swapped, and whatever is off is shifted.
func TestLogsOfEveryClock(t *testing.T) {
	b := servertest.Start(t)
	f := b.AddFake("Fake", nil)
	f.Pass(-1_800_000_000 + 1_775_087_970) // 2026-04-01 23:59:30
	f.Relink()
	start := time.UnixMilli(f.Now()).UTC()
	trial := f.Run(120, func(o link.Order) {
		f.Send(link.Frame{Started: &link.Started{Order: o.ID, At: start.UnixMilli()}},
			link.Frame{Finished: &link.Finished{Order: o.ID, How: link.Done, RanS: 120}})
	})
	rows := []struct {
		name, query string
		cell        func(s int) string
	}{
		{"elapsed", "", func(s int) string { return fmt.Sprint(4000 + s) }},
		{"time of day, over midnight", "", func(s int) string { return start.Add(time.Duration(s) * time.Second).Format("15:04:05") }},
		{"ms since 1970, a wrong year", "", func(s int) string { return fmt.Sprint(start.AddDate(-3, 0, 0).UnixMilli() + int64(1000*s)) }},
		{"months first, told so", "?swap=true&shiftS=0", func(s int) string {
			return start.Add(time.Duration(s) * time.Second).Format("01/02/2006 15:04:05")
		}},
		{"shifted by hand", "?shiftS=-90", func(s int) string {
			return start.Add(time.Duration(s+90) * time.Second).Format("2006-01-02T15:04:05Z")
		}},
	}
	for _, row := range rows {
		table := "time,level [dB]\n"
		for s := range 100 {
			table += fmt.Sprintf("%s,%d\n", row.cell(s), s)
		}
		var joined api.JoinedLog
		status, text := upload(t, b.Address, fmt.Sprintf("/api/trials/%d/logs%s", trial.Id, row.query), strings.NewReader(table))
		if err := json.Unmarshal(text, &joined); err != nil || status != 201 || joined.Log.Used != 100 {
			t.Errorf("%s: %d %s", row.name, status, text)
			continue
		}
		var telemetry api.Telemetry
		b.Call("GET", fmt.Sprintf("/api/trials/%d/telemetry?keys=log.level&fromS=0&toS=120&buckets=120", trial.Id), nil, 200, &telemetry)
		for i, at := range telemetry.Channels[0].T {
			if math.Abs(telemetry.Channels[0].Mean[i]-at) > 0.51 {
				t.Errorf("%s: what was taken at %g s lies at %g s", row.name, telemetry.Channels[0].Mean[i], at)
				break
			}
		}
		b.Call("DELETE", fmt.Sprintf("/api/trials/%d/logs/%d", trial.Id, joined.Log.Id), nil, 204, nil)
	}
}
