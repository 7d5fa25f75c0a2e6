package server_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"

	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/store/storetest"
)

// TestAnyRequestIsAnswered makes requests of all kinds that the API's description knows, with what it allows, what lies at the bounds of
// that, and what it does not: each is answered in words, none by a failure inside, and none takes a second of the processor.
func TestAnyRequestIsAnswered(t *testing.T) {
	requests := 10_000
	if testing.Short() {
		requests = 1_500
	}
	bench := servertest.Pages(t, storetest.Open(t))
	cfg := petrel(t, nil)
	for kind, sheet := range map[string]any{"processor": cfg.Parts.Processor, "board": cfg.Parts.Board, "cooler": cfg.Parts.Cooler,
		"memory": cfg.Parts.Memory} {
		id := map[string]string{"processor": cfg.Parts.Processor.ID, "board": cfg.Parts.Board.ID, "cooler": cfg.Parts.Cooler.ID,
			"memory": cfg.Parts.Memory.ID}[kind]
		bench.Call("PUT", "/api/parts/"+kind+"/"+id, sheet, 200, nil)
	}
	for _, name := range []string{"One", "Two"} {
		bench.Call("POST", "/api/rigs", api.CreateRigRequest{Name: name, Parts: &api.PartNames{Processor: cfg.Parts.Processor.ID,
			Board: cfg.Parts.Board.ID, Cooler: cfg.Parts.Cooler.ID, Memory: cfg.Parts.Memory.ID}}, 201, nil)
	}
	doc, err := openapi3.NewLoader().LoadFromData(api.Description)
	if err != nil {
		t.Fatal(err)
	}
	type target struct {
		method, path string
		op           *openapi3.Operation
		params       openapi3.Parameters
	}
	var targets []target
	for path, item := range doc.Paths.Map() {
		for method, op := range item.Operations() {
			if op.OperationID != "streamEvents" { // it does not end
				targets = append(targets, target{method, path, op, append(slices.Clone(item.Parameters), op.Parameters...)})
			}
		}
	}
	slices.SortFunc(targets, func(a, b target) int { return strings.Compare(a.path+a.method, b.path+b.method) })
	g := guesser{rand.New(rand.NewPCG(12, 1))}
	client := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	statuses := map[int]int{}
	for range requests {
		at := targets[g.IntN(len(targets))]
		path, query := at.path, url.Values{}
		for _, p := range at.params {
			word := g.word(p.Value)
			if p.Value.In == "path" {
				path = strings.ReplaceAll(path, "{"+p.Value.Name+"}", url.PathEscape(word))
			} else if p.Value.In == "query" && (p.Value.Required || g.IntN(2) == 0) {
				query.Set(p.Value.Name, word)
			}
		}
		kind, body := g.body(at.op)
		request, err := http.NewRequest(at.method, bench.Address+path+"?"+query.Encode(), bytes.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		if len(body) > 0 {
			request.Header.Set("Content-Type", kind)
		}
		before := processorTime(t)
		response, err := client.Do(request)
		if err != nil {
			t.Fatalf("%s %s?%s %.300s: %v", at.method, path, query.Encode(), body, err)
		}
		var answer bytes.Buffer
		_, err = answer.ReadFrom(response.Body)
		_ = response.Body.Close()
		took := processorTime(t) - before
		statuses[response.StatusCode]++
		var p api.Problem
		inWords := response.StatusCode < 400 || json.Unmarshal(answer.Bytes(), &p) == nil && p.Title != ""
		if err != nil || response.StatusCode >= 500 || !inWords || took > most(at.op.OperationID) {
			t.Errorf("%s %s?%s %.300s: %d after %s of the processor, %.300s, %v", at.method, path, query.Encode(), body, response.StatusCode,
				took, answer.Bytes(), err)
		}
	}
	if statuses[200]+statuses[201]+statuses[204] < requests/20 || statuses[422] < requests/20 {
		t.Errorf("too few were allowed, or too few refused: %v", statuses)
	}
}

// most is how much of the processor a request may use, under the race detector too. A survey weighs everything that a rig was ever put
// to: a quarter of a second, and ten times as much under the detector. Soundings take one, and so does a look over the fleet or at a
// rig's kin, for the first rig of which something new is on record. A fan curve is found from forecasts at ten duties under each load.
func most(operation string) time.Duration {
	switch operation {
	case "getSoundings", "getFleet", "exportFleet", "getStart", "getCooling", "drawCurve":
		return 5 * time.Second
	}
	return time.Second
}

// processorTime is how much of the processor this process has used.
func processorTime(t *testing.T) time.Duration {
	t.Helper()
	var u syscall.Rusage
	if err := syscall.Getrusage(syscall.RUSAGE_SELF, &u); err != nil {
		t.Fatal(err)
	}
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}

// guesser makes up what a request may hold, and what it may not.
type guesser struct{ *rand.Rand }

// oddTexts are words that somebody may send for any other.
var oddTexts = []string{"", " ", "\x00", "\u202e", "'; DROP TABLE rigs; --", "=1+1", "../../etc", longText, "\xff\xfe", "NaN",
	"1e999", "-0", "null", "T1", "1", "auto", "\U0001f6a2", "%00", "<script>"}

var longText = strings.Repeat("x", 5000)

// oddNumbers are figures at the edges of what is stored and computed.
var oddNumbers = []float64{0, -1, 1, 2, 3, 1e-300, 1e9, 1e15, 1e300, -1e300, 9007199254740993, 0.1, 65535, 4294967296}

func (g guesser) odd() any {
	switch g.IntN(5) {
	case 0:
		return oddTexts[g.IntN(len(oddTexts))]
	case 1:
		return oddNumbers[g.IntN(len(oddNumbers))]
	case 2:
		return nil
	case 3:
		return g.IntN(2) == 0
	}
	var deep any = []any{}
	for range []int{3, 60, 3000}[g.IntN(3)] {
		deep = []any{map[string]any{"x": deep}}
	}
	return deep
}

// word is a value of a parameter.
func (g guesser) word(p *openapi3.Parameter) string {
	if g.IntN(8) == 0 {
		return fmt.Sprintf("%.200s", fmt.Sprint(g.odd()))
	}
	if len(p.Schema.Value.Enum) > 0 {
		return fmt.Sprint(p.Schema.Value.Enum[g.IntN(len(p.Schema.Value.Enum))])
	}
	if p.Schema.Value.Type.Is("integer") || p.Schema.Value.Type.Is("number") {
		return fmt.Sprint([]int64{1, 1, 1, 2, 2, 3, 0, -1, 1 << 62}[g.IntN(9)])
	}
	return fmt.Sprint(g.value(p.Schema.Value, 0))
}

// body is a request's body, and its kind.
func (g guesser) body(op *openapi3.Operation) (kind string, text []byte) {
	if op.RequestBody == nil {
		return "", nil
	}
	kinds := op.RequestBody.Value.Content
	if kinds.Get("text/csv") != nil && (kinds.Get("application/json") == nil || g.IntN(2) == 0) {
		lines := []string{"s,x [W]", "trim,yardstick,unit,better,value", "Date;Time;A", "0,1", "1,2", "0,Own,s,lower,3", "\"", "\x00,,,"}
		for range g.IntN(8) {
			text = append(text, (lines[g.IntN(len(lines))] + "\n")...)
		}
		return "text/csv", text
	}
	if kinds.Get("application/zip") != nil {
		starts := []string{"", "PK\x03\x04", "PK\x05\x06" + strings.Repeat("\x00", 18), "{}"}
		text = []byte(starts[g.IntN(len(starts))])
		for range g.IntN(40) {
			text = append(text, byte(g.IntN(256)))
		}
		return "application/zip", text
	}
	value := g.value(kinds.Get("application/json").Schema.Value, 0)
	text, err := json.Marshal(value)
	if err != nil {
		text = []byte("{")
	}
	if g.IntN(20) == 0 && len(text) > 0 {
		text = text[:g.IntN(len(text))]
	}
	return "application/json", text
}

// value is one that a schema describes, mostly.
func (g guesser) value(s *openapi3.Schema, depth int) any {
	if g.IntN(14) == 0 || depth > 6 {
		return g.odd()
	}
	switch {
	case len(s.Enum) > 0:
		return s.Enum[g.IntN(len(s.Enum))]
	case len(s.OneOf) > 0:
		return g.value(s.OneOf[g.IntN(len(s.OneOf))].Value, depth+1)
	case s.Type == nil || s.Type.Is("object"):
		out := map[string]any{}
		for name, p := range s.Properties {
			if slices.Contains(s.Required, name) && g.IntN(30) > 0 || g.IntN(3) == 0 {
				out[name] = g.value(p.Value, depth+1)
			}
		}
		if len(s.Properties) == 0 {
			keys := []string{"curve.all", "limit.ppt", "clock.boostOffset", "voltage.core.offset", "fan.point.1.duty", "curve.core.99", "x"}
			for range g.IntN(4) {
				out[keys[g.IntN(len(keys))]] = oddNumbers[g.IntN(len(oddNumbers))]
			}
		}
		if g.IntN(20) == 0 {
			out["nonsense"] = g.odd()
		}
		return out
	case s.Type.Is("array"):
		out := []any{}
		for range g.IntN(4) {
			out = append(out, g.value(s.Items.Value, depth+1))
		}
		return out
	case s.Type.Is("boolean"):
		return g.IntN(2) == 0
	case s.Type.Is("integer"):
		return g.IntN(4)
	case s.Type.Is("number"):
		if g.IntN(3) == 0 {
			return oddNumbers[g.IntN(len(oddNumbers))]
		}
		return float64(g.IntN(200)) / 2
	}
	return []string{"x", "stock", "heavy", "power.package", "burst", "quiet", oddTexts[g.IntN(len(oddTexts))]}[g.IntN(7)]
}
