package standin_test

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"net/http/httptest"
	"os/exec"
	"strings"
	"testing"

	"zerokeel/core/invalid"
	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/demo/rigs"
	"zerokeel/firmware"
	"zerokeel/firmware/redfish"
	"zerokeel/outbound"
	"zerokeel/standin"
)

// start returns a stand-in of Petrel with its Redfish service, up and running.
func start(t testing.TB, change func(*standin.Config)) (*standin.Rig, *httptest.Server, *standin.Config) {
	t.Helper()
	text, err := rigs.Standin("petrel")
	if err != nil {
		t.Fatal(err)
	}
	cfg, err := standin.ParseConfig(text)
	if err != nil {
		t.Fatal(err)
	}
	if change != nil {
		change(cfg)
	}
	rig, err := standin.NewRig(cfg, standin.Options{Speed: 1000, User: "bench", Password: "keel"})
	if err != nil {
		t.Fatal(err)
	}
	rig.Advance(30)
	server := httptest.NewServer(rig.Handler())
	t.Cleanup(server.Close)
	return rig, server, cfg
}

func client(t testing.TB, address string) *redfish.Client {
	t.Helper()
	c, err := redfish.New(&outbound.Guard{}, address, "bench", "keel")
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func TestStageRestartReadBack(t *testing.T) {
	ctx := context.Background()
	rig, server, cfg := start(t, nil)
	board := client(t, server.URL)
	stock := trim.Stock(cfg.Parts.Processor, cfg.Parts.Board)
	want := stock.With(trim.Settings{"curve.all": part.Number(-10), "curve.core.5": part.Number(4), "limit.ppt": part.Number(142),
		"memory.profile": part.Choice("rated")})
	if err := board.Stage(ctx, cfg.Parts.Board, want); err != nil {
		t.Fatal(err)
	}
	before, err := board.Read(ctx, &cfg.Parts, stock)
	if err != nil {
		t.Fatal(err)
	}
	if d := before.Differences; len(d) > 0 || len(before.Found) != len(stock) {
		t.Errorf("staged settings are in force before the restart: %v", d)
	}
	if err := board.Apply(ctx); err != nil {
		t.Fatal(err)
	}
	if s, _ := board.State(ctx); s.Running {
		t.Error("the machine runs at once after the restart")
	}
	rig.Advance(30)
	if s, _ := board.State(ctx); !s.Running {
		t.Errorf("after the restart: %+v", s)
	}
	after, err := board.Read(ctx, &cfg.Parts, want)
	if err != nil {
		t.Fatal(err)
	}
	if d := after.Differences; len(d) > 0 {
		t.Errorf("not in force: %v", d)
	}
}

func TestNoPostUntilCleared(t *testing.T) {
	ctx := context.Background()
	rig, server, cfg := start(t, nil)
	board := client(t, server.URL)
	deep := trim.Settings{"curve.all": part.Number(-30), "curve.core.5": part.Number(-30)}
	fast := trim.Settings{"memory.profile": part.Choice(trim.ProfileManual), "memory.rate": part.Number(8400)}
	if err := board.Stage(ctx, cfg.Parts.Board, deep); err != nil {
		t.Fatal(err)
	}
	restart := func() firmware.State {
		t.Helper()
		if err := board.Apply(ctx); err != nil {
			t.Fatal(err)
		}
		rig.Advance(120)
		s, err := board.State(ctx)
		if err != nil {
			t.Fatal(err)
		}
		return s
	}
	if s := restart(); s.Running || !s.Critical {
		t.Fatalf("240 mV too low: %+v, want a machine that does not come up", s)
	}
	if s := restart(); s.Running {
		t.Fatal("it comes up although nothing was cleared")
	}
	if err := board.Clear(ctx); err != nil {
		t.Fatal(err)
	}
	if s := restart(); !s.Running {
		t.Fatalf("after clearing: %+v", s)
	}
	if err := board.Stage(ctx, cfg.Parts.Board, fast); err != nil {
		t.Fatal(err)
	}
	if s := restart(); s.Running {
		t.Error("it comes up with memory at 1.4 times its rate")
	}
	if err := board.Clear(ctx); err != nil {
		t.Fatal(err)
	}
	if s := restart(); !s.Running {
		t.Fatalf("after clearing: %+v", s)
	}
	back, err := board.Read(ctx, &cfg.Parts, deep)
	if err != nil || back.Found.Number("curve.all", 1) != 0 || back.Found.Number("curve.core.5", 1) != 0 {
		t.Errorf("after clearing: %v, %v; want offsets of 0", back.Found, err)
	}
}

func TestServiceRefusesBadRequests(t *testing.T) {
	_, server, _ := start(t, nil)
	const settings = "/redfish/v1/Systems/1/Bios/Settings"
	rows := []struct {
		name, method, path, body, ifMatch string
		status                            int
		messages                          []string // message ids expected, in order
	}{
		{"unknown attribute", "PATCH", settings, `{"Attributes":{"NoSuch":1}}`, "", 400, []string{"PropertyUnknown"}},
		{"every fault at once", "PATCH", settings,
			`{"Attributes":{"CurveShiftAll":-31,"CpuLoadLine":"flat","BoostTopOffset":30,"ThermalGuard":"Maybe"}}`, "", 400,
			[]string{"PropertyValueIncorrect", "PropertyValueTypeError", "PropertyValueOutOfRange", "PropertyValueNotInList"}},
		{"one bad attribute stages none", "PATCH", settings, `{"Attributes":{"CurveShiftAll":-10,"NoSuch":1}}`, "", 400,
			[]string{"PropertyUnknown"}},
		{"empty body", "PATCH", settings, ``, "", 400, []string{"EmptyJSON"}},
		{"no attributes", "PATCH", settings, `{}`, "", 400, []string{"PropertyMissing"}},
		{"malformed", "PATCH", settings, `{"Attributes":`, "", 400, []string{"MalformedJSON"}},
		{"huge", "PATCH", settings, `{"Attributes":{"X":"` + strings.Repeat("y", 2<<20) + `"}}`, "", 413, []string{"PayloadTooLarge"}},
		{"stale ETag", "PATCH", settings, `{"Attributes":{"CurveShiftAll":-10}}`, `"old"`, 412, []string{"PreconditionFailed"}},
		{"unknown reset", "POST", "/redfish/v1/Systems/1/Actions/ComputerSystem.Reset", `{"ResetType":"Kick"}`, "", 400,
			[]string{"ActionParameterNotSupported"}},
		{"no such resource", "GET", "/redfish/v1/Systems/2", ``, "", 404, []string{"ResourceMissingAtURI"}},
		{"wrong method", "DELETE", "/redfish/v1/Systems/1", ``, "", 405, []string{"OperationNotAllowed"}},
	}
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			request, err := http.NewRequestWithContext(t.Context(), row.method, server.URL+row.path, strings.NewReader(row.body))
			if err != nil {
				t.Fatal(err)
			}
			request.SetBasicAuth("bench", "keel")
			request.Header.Set("If-Match", row.ifMatch)
			response, err := http.DefaultClient.Do(request)
			if err != nil {
				t.Fatal(err)
			}
			defer func() { _ = response.Body.Close() }()
			var body struct {
				Error struct {
					Info []redfish.Message `json:"@Message.ExtendedInfo"`
				} `json:"error"`
			}
			if err := json.NewDecoder(response.Body).Decode(&body); err != nil {
				t.Fatal(err)
			}
			var ids []string
			for _, m := range body.Error.Info {
				ids = append(ids, m.ID[strings.LastIndex(m.ID, ".")+1:])
				if m.Text == "" || m.Resolution == "" {
					t.Errorf("message without text or resolution: %+v", m)
				}
			}
			if response.StatusCode != row.status || strings.Join(ids, " ") != strings.Join(row.messages, " ") {
				t.Errorf("got %d %v, want %d %v", response.StatusCode, ids, row.status, row.messages)
			}
		})
	}
	back, err := client(t, server.URL).Read(t.Context(), &mustConfig(t).Parts, trim.Settings{"curve.all": part.Number(0)})
	if err != nil || back.Found.Number("curve.all", 1) != 0 {
		t.Errorf("a refused request left something behind: %v, %v", back.Found, err)
	}
	if response, err := http.Get(server.URL + "/redfish/v1/Systems"); err != nil || response.StatusCode != http.StatusUnauthorized {
		t.Errorf("without credentials: %v, %v; want 401", response.StatusCode, err)
	}
}

func mustConfig(t testing.TB) *standin.Config {
	t.Helper()
	_, _, cfg := start(t, nil)
	return cfg
}

// TestIndependentClient drives the service with a Redfish client that is not ours.
func TestIndependentClient(t *testing.T) {
	const python = "/usr/bin/python3"
	if err := exec.Command(python, "-c", "import sushy").Run(); err != nil {
		t.Fatal("Debian's package python3-sushy is missing; ./keel test installs it")
	}
	rig, server, _ := start(t, nil)
	drive := func(script string) string {
		t.Helper()
		// Debian's package lacks the folder of message registries that the client's own registry classes want, so
		// the attribute registry is walked through its connector.
		preamble := "import sushy, sushy.auth\n" +
			"def registry():\n" +
			" get = lambda path: root._conn.get(path).json()\n" +
			" files = [get(m['@odata.id']) for m in get(root.json['Registries']['@odata.id'])['Members']]\n" +
			" uri = [f['Location'][0]['Uri'] for f in files if f['Registry'] == system.bios.json['AttributeRegistry']][0]\n" +
			" return get(uri)['RegistryEntries']['Attributes']\n" +
			"root = sushy.Sushy('" + server.URL + "', auth=sushy.auth.SessionOrBasicAuth('bench', 'keel'))\n" +
			"system = root.get_system_collection().get_members()[0]\n"
		out, err := exec.CommandContext(t.Context(), python, "-c", preamble+script).CombinedOutput()
		if err != nil {
			t.Fatalf("%v\n%s", err, out)
		}
		return strings.TrimSpace(string(out))
	}
	if got := drive("print(system.power_state.value, system.bios.attributes['CurveShiftAll'], len(registry()))"); got != "On 0 71" {
		t.Errorf("list and read: %s", got)
	}
	if got := drive("system.bios.set_attributes({'CurveShiftAll': -10, 'ThermalGuardC': 85})\nsystem.bios.refresh()\nprint(system.bios.pending_attributes)\nsystem.reset_system(sushy.ResetType.FORCE_RESTART)"); got != "{'CurveShiftAll': -10, 'ThermalGuardC': 85}" {
		t.Errorf("stage: %s", got)
	}
	rig.Advance(60)
	if got := drive("print(system.bios.attributes['CurveShiftAll'], system.bios.attributes['ThermalGuardC'])"); got != "-10 85" {
		t.Errorf("read back: %s", got)
	}
	sensors := drive("chassis = root.get_chassis_collection().get_members()[0]\n" +
		"print(sorted(t.name for t in chassis.thermal.temperatures), [f.name for f in chassis.thermal.fans], chassis.power.power_supplies is not None)")
	if sensors != "['Ambient', 'Coolant', 'Hottest core', 'VRM'] ['Fan 1', 'Fan 2', 'Fan 3'] True" {
		t.Errorf("sensors: %s", sensors)
	}
	if got := drive("system.bios.reset_bios()\nsystem.reset_system(sushy.ResetType.FORCE_RESTART)\nprint('ok')"); got != "ok" {
		t.Errorf("reset: %s", got)
	}
	rig.Advance(60)
	if got := drive("print(system.bios.attributes['CurveShiftAll'])"); got != "0" {
		t.Errorf("after the reset: %s", got)
	}
}

func TestStagingChecksTheRegistry(t *testing.T) {
	_, server, cfg := start(t, nil)
	board := *cfg.Parts.Board
	board.Settings = append([]part.BoardSetting(nil), board.Settings...)
	for i := range board.Settings {
		switch board.Settings[i].Setting {
		case "curve.all":
			board.Settings[i].Attribute = "Renamed"
		case "limit.ppt":
			board.Settings[i].Scale = 1e6
		}
	}
	err := client(t, server.URL).Stage(t.Context(), &board, trim.Settings{"curve.all": part.Number(-10), "limit.ppt": part.Number(142),
		"limit.tdc": part.Number(100)})
	var faults invalid.List
	if !errors.As(err, &faults) || len(faults) != 2 || faults[0].Field != "curve.all" || faults[1].Field != "limit.ppt" {
		t.Fatalf("got %v, want faults of curve.all and limit.ppt", err)
	}
	back, err := client(t, server.URL).Read(t.Context(), &cfg.Parts, trim.Settings{"limit.tdc": part.Number(100)})
	if err != nil || back.Found.Number("limit.tdc", 0) != 180 {
		t.Errorf("half of a refused trim was staged: %v, %v", back.Found, err)
	}
}

func BenchmarkRig(b *testing.B) {
	rig, _, _ := start(b, nil)
	for b.Loop() {
		rig.Advance(1)
	}
	b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "x_realtime")
}
