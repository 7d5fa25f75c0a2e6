package redfish_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"zerokeel/core/invalid"
	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/firmware"
	"zerokeel/firmware/redfish"
	"zerokeel/outbound"
)

// board is the sheet of a board with a number in milliwatts, a switch and a choice.
var board = &part.Board{Name: part.Name{ID: "b1", Model: "Test"}, Settings: []part.BoardSetting{
	{Setting: "limit.ppt", Attribute: "PowermW", Label: "Power", Min: 30, Max: 400, Step: 1, Scale: 1000, Default: part.Number(142)},
	{Setting: "limit.temperatureOn", Attribute: "Guard", Label: "Guard", Values: map[string]string{"true": "Enabled", "false": "Disabled"},
		Default: part.Switch(true)},
	{Setting: "memory.profile", Attribute: "Profile", Label: "Profile", Values: map[string]string{"safe": "Off", "rated": "On"},
		Default: part.Choice("safe")},
}}

// service is a Redfish service laid out differently from the stand-in's: other paths, other order, only what the
// standard requires.
type service struct {
	registry   string // body of the registry; empty serves none
	patchState int
	patchBody  string
	noSettings bool
	etag       string

	sent      []string // method and path of every change
	gotMatch  string
	gotValues map[string]any
}

func (s *service) start(t *testing.T) *redfish.Client {
	t.Helper()
	answers := map[string]func() string{
		"/redfish/v1/": func() string { return `{"Systems":{"@odata.id":"/redfish/v1/Systems"}}` },
		"/redfish/v1/Systems": func() string {
			return `{"Members":[{"@odata.id":"/redfish/v1/Systems/Node-A"},{"@odata.id":"/redfish/v1/Systems/Node-B"}]}`
		},
		"/redfish/v1/Systems/Node-A": func() string {
			return `{"PowerState":"Off","Bios":{"@odata.id":"/redfish/v1/Systems/Node-A/Firmware"},
				"Actions":{"#ComputerSystem.Reset":{"target":"/redfish/v1/do/reset"}}}`
		},
		"/redfish/v1/Systems/Node-A/Firmware": func() string {
			settings := `,"@Redfish.Settings":{"SettingsObject":{"@odata.id":"/redfish/v1/Systems/Node-A/Firmware/Next"}}`
			if s.noSettings {
				settings = ""
			}
			return `{"AttributeRegistry":"Reg.1","Attributes":{"PowermW":200000,"Guard":"Disabled","Profile":"Unheard"}` + settings + `}`
		},
		"/redfish/v1/Systems/Node-A/Firmware/Next": func() string { return `{"Attributes":{}}` },
		"/redfish/v1/Registries": func() string {
			if s.registry == "" {
				return `{"Members":[]}`
			}
			return `{"Members":[{"@odata.id":"/redfish/v1/Registries/Base"},{"@odata.id":"/redfish/v1/Registries/Reg"}]}`
		},
		"/redfish/v1/Registries/Base": func() string { return `{"Id":"Base","Registry":"Base.1.0","Location":[{"Uri":"/x"}]}` },
		"/redfish/v1/Registries/Reg":  func() string { return `{"Id":"Reg","Registry":"Reg.1","Location":[{"Uri":"/redfish/v1/reg.json"}]}` },
		"/redfish/v1/reg.json":        func() string { return s.registry },
	}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		if q.Method != http.MethodGet {
			s.sent = append(s.sent, q.Method+" "+q.URL.Path)
			s.gotMatch = q.Header.Get("If-Match")
			text, _ := io.ReadAll(q.Body)
			var body struct{ Attributes map[string]any }
			_ = json.Unmarshal(text, &body)
			s.gotValues = body.Attributes
			if s.patchState != 0 {
				w.WriteHeader(s.patchState)
				_, _ = io.WriteString(w, s.patchBody)
			}
			return
		}
		answer, ok := answers[q.URL.Path]
		if !ok {
			w.WriteHeader(http.StatusNotFound)
			return
		}
		if s.etag != "" {
			w.Header().Set("ETag", s.etag)
		}
		_, _ = io.WriteString(w, answer())
	}))
	t.Cleanup(server.Close)
	c, err := redfish.New(&outbound.Guard{}, server.URL, "", "")
	if err != nil {
		t.Fatal(err)
	}
	return c
}

const goodRegistry = `{"RegistryEntries":{"Attributes":[
	{"AttributeName":"PowermW","Type":"Integer","LowerBound":30000,"UpperBound":400000},
	{"AttributeName":"Guard","Type":"Enumeration","Value":[{"ValueName":"Enabled"},{"ValueName":"Disabled"}]},
	{"AttributeName":"Profile","Type":"Enumeration","Value":[{"ValueName":"Off"},{"ValueName":"On"}]}]}}`

var wanted = trim.Settings{"limit.ppt": part.Number(120), "limit.temperatureOn": part.Switch(true), "memory.profile": part.Choice("rated")}

func TestStageSpeaksTheBoardsLanguage(t *testing.T) {
	s := &service{registry: goodRegistry, etag: `"7"`}
	c := s.start(t)
	if err := c.Stage(t.Context(), board, wanted); err != nil {
		t.Fatal(err)
	}
	if got := fmt.Sprint(s.gotValues); got != "map[Guard:Enabled PowermW:120000 Profile:On]" {
		t.Errorf("sent %s", got)
	}
	if s.gotMatch != `"7"` || len(s.sent) != 1 || s.sent[0] != "PATCH /redfish/v1/Systems/Node-A/Firmware/Next" {
		t.Errorf("sent %q with If-Match %s", s.sent, s.gotMatch)
	}
	if err := c.Apply(t.Context()); err != nil || s.sent[1] != "POST /redfish/v1/do/reset" {
		t.Errorf("restart of a machine that is off: %v, %q", err, s.sent)
	}
}

func TestStageRefusesBeforeItSends(t *testing.T) {
	rows := []struct {
		name     string
		service  service
		settings trim.Settings
		fields   string // of the faults; empty for an error in words
		words    string
	}{
		{"no registry", service{}, wanted, "", "does not offer it"},
		{"registry without the attributes", service{registry: `{"RegistryEntries":{"Attributes":[]}}`}, wanted,
			"limit.ppt limit.temperatureOn memory.profile", "no attribute"},
		{"value past the registry's bounds", service{registry: strings.Replace(goodRegistry, "400000", "100000", 1)}, wanted, "limit.ppt",
			"does not take 120000"},
		{"number where a word is kept", service{registry: strings.Replace(goodRegistry, `"PowermW","Type":"Integer"`,
			`"PowermW","Type":"String"`, 1)}, wanted, "limit.ppt", "not a number"},
		{"read-only", service{registry: strings.Replace(goodRegistry, `"Guard",`, `"Guard","ReadOnly":true,`, 1)}, wanted,
			"limit.temperatureOn", "read-only"},
		{"position that the board does not have", service{registry: strings.Replace(goodRegistry, `"On"`, `"Fast"`, 1)}, wanted,
			"memory.profile", "no position"},
		{"setting that the sheet does not map", service{registry: goodRegistry}, trim.Settings{"curve.all": part.Number(-5)}, "curve.all",
			"no such setting"},
		{"settings cannot be changed", service{registry: goodRegistry, noSettings: true}, wanted, "", "cannot be changed over the network"},
	}
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			err := row.service.start(t).Stage(t.Context(), board, row.settings)
			if err == nil || !strings.Contains(err.Error(), row.words) {
				t.Fatalf("got %v, want words like %q", err, row.words)
			}
			var faults invalid.List
			errors.As(err, &faults)
			var fields []string
			for _, f := range faults {
				fields = append(fields, f.Field)
			}
			if strings.Join(fields, " ") != row.fields {
				t.Errorf("faults of %q, want %q", fields, row.fields)
			}
			if len(row.service.sent) > 0 {
				t.Errorf("sent %q although it was refused", row.service.sent)
			}
		})
	}
}

func TestTheBoardsOwnRefusalIsToldInItsWords(t *testing.T) {
	s := &service{registry: goodRegistry, patchState: 400, patchBody: `{"error":{"code":"Base.1.8.GeneralError","message":"general",
		"@Message.ExtendedInfo":[
		{"MessageId":"Base.1.8.PropertyValueOutOfRange","Message":"Too much.","Resolution":"Give less.",
		"RelatedProperties":["#/Attributes/PowermW"]},
		{"MessageId":"Base.1.8.PropertyReadOnly","Message":"Locked.","Resolution":"None"}]}}`}
	err := s.start(t).Stage(t.Context(), board, wanted)
	var refusal *redfish.Error
	if !errors.As(err, &refusal) || refusal.Status != 400 || len(refusal.Messages) != 2 ||
		refusal.Messages[0].Properties[0] != "#/Attributes/PowermW" {
		t.Fatalf("got %v", err)
	}
	if want := "Too much. Give less. Locked."; !strings.Contains(err.Error(), want) || errors.Is(err, firmware.ErrUnreachable) {
		t.Errorf("got %q, want %q in it", err, want)
	}
	s = &service{registry: goodRegistry, patchState: 412}
	if err := s.start(t).Stage(t.Context(), board, wanted); err == nil || len(s.sent) != 1 {
		t.Errorf("a change that lost a race: %v after %d tries, want one", err, len(s.sent))
	}
	s = &service{registry: goodRegistry, patchState: 503}
	if err := s.start(t).Stage(t.Context(), board, wanted); !errors.Is(err, firmware.ErrUnreachable) || len(s.sent) != 1 {
		t.Errorf("a change that failed inside the board: %v after %d tries, want one", err, len(s.sent))
	}
}

func TestReadbackLeavesOutWhatTheSheetDoesNotExplain(t *testing.T) {
	back, err := (&service{registry: goodRegistry}).start(t).Read(t.Context(), &part.Set{Board: board}, wanted)
	if err != nil {
		t.Fatal(err)
	}
	found := back.Found
	if len(found) != 2 || found["limit.ppt"] != part.Number(200) || found["limit.temperatureOn"] != part.Switch(false) {
		t.Errorf("found %v", found)
	}
	if differences := back.Differences; len(differences) != 3 || differences[0].Text != "the board does not tell this setting" {
		t.Errorf("differences %+v", differences)
	}
}

// TestLargeRegistry: a registry of 2,000 attributes is read whole, and staging finds its own in it.
func TestLargeRegistry(t *testing.T) {
	var list []string
	for i := range 2000 {
		list = append(list, fmt.Sprintf(`{"AttributeName":"Other%d","Type":"Integer","LowerBound":0,"UpperBound":9,"DisplayName":"Other %d",
			"MenuPath":"./A/B"}`, i, i))
	}
	list = append(list, `{"AttributeName":"PowermW","Type":"Integer","LowerBound":30000,"UpperBound":400000}`)
	s := &service{registry: `{"RegistryEntries":{"Attributes":[` + strings.Join(list, ",") + `]}}`}
	client := s.start(t)
	registry, err := client.Registry(t.Context())
	if err != nil || len(registry) != 2001 {
		t.Fatalf("%d attributes, %v", len(registry), err)
	}
	if err := client.Stage(t.Context(), board, trim.Settings{"limit.ppt": part.Number(100)}); err != nil ||
		s.gotValues["PowermW"] != 100000.0 {
		t.Errorf("staged %v, %v", s.gotValues, err)
	}
	trim.Propose(registry)
	for _, l := range registry {
		if strings.HasPrefix(l.Attribute, "Other") && l.Setting != "" {
			t.Errorf("%s is taken for %s", l.Attribute, l.Setting)
		}
	}
}
