package server_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers/legacy"

	"zerokeel/core/part"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
)

// TestAnswersFitTheDescription makes every request of the API that answers with JSON and holds the answer against the
// description, so that neither can change alone.
func TestAnswersFitTheDescription(t *testing.T) {
	rig := servertest.Start(t).AddRig(petrel(t, nil), 600)
	rig.Fit(rig.Trims()[0].Id)
	rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("heavy", 20)}}).Id)
	score := api.StartTrialRequest{Purpose: ptr(api.StartTrialRequestPurposeScore), Legs: []api.LegRequest{{Yardstick: ptr("burst")}}}
	rig.Ended(rig.Start(score).Id)
	doc, err := openapi3.NewLoader().LoadFromData(api.Description)
	if err != nil {
		t.Fatal(err)
	}
	for _, kind := range []string{"text/tab-separated-values", "text/html", "application/zip"} {
		openapi3filter.RegisterBodyDecoder(kind, openapi3filter.RegisteredBodyDecoder("text/plain"))
	}
	router, err := legacy.NewRouter(doc)
	if err != nil {
		t.Fatal(err)
	}
	stock := rig.Trims()[0].Id
	one := fmt.Sprintf("/api/rigs/%d", rig.ID)
	made := `{"parent":` + fmt.Sprint(stock) + `,"name":"x","settings":{"curve.all":-5}}`
	table := "trim,yardstick,unit,better,value\n0,Own render,s,lower,93.2\n0,Own render,s,lower,93.4\n"
	requests := []struct {
		method, path, body string
		status             int
	}{
		{"POST", one + "/scores/import", table, 201}, {"POST", one + "/scores/import", "trim,value\n0,1\n", 422},
		{"POST", one + "/scores", fmt.Sprintf(`{"trim":%d,"yardstick":"Own game","unit":"1/s","better":"higher","values":[141,143]}`, stock),
			201},
		{"POST", "/api/trials/1/logs/layout", "s,x [W]\n0,1\n1,2\n", 200}, {"POST", "/api/trials/1/logs", "s,x [W]\n0,1\n1,2\n", 201},
		{"GET", "/api/trials/1/logs", "", 200},
		{"DELETE", "/api/trials/1/logs/1", "", 204}, {"POST", "/api/trials/1/readings", `{"channel":"temperature.coolant","value":31}`, 422},
		{"PUT", "/api/log-sources/0123456789abcdef0123", `{"columns":[]}`, 204},
		{"DELETE", one + "/scores/2", "", 204}, {"DELETE", one + "/scores/1", "", 404},
		{"GET", "/api/me", "", 200}, {"POST", "/api/me/password", `{"before":"x","password":"y"}`, 409}, {"POST", "/api/logout", "", 204},
		{"POST", "/api/login", `{"name":"a","password":"b"}`, 409}, {"POST", "/api/first", `{"code":"c","name":"a","password":"b"}`, 409},
		{"POST", "/api/accounts", `{"name":"Gus","role":"guest","password":"of brass and rope"}`, 201}, {"GET", "/api/accounts", "", 200},
		{"PATCH", "/api/accounts/1", `{"closed":true}`, 200}, {"PATCH", "/api/accounts/1", `{"role":"king","password":"x"}`, 422},
		{"GET", "/api/audit", "", 200},
		{"GET", "/api/rigs", "", 200}, {"GET", one, "", 200}, {"PATCH", one, `{"ambientC":23}`, 200}, {"POST", one + "/token", "", 200},
		{"GET", one + "/settings", "", 200}, {"POST", one + "/check", `{"settings":{"curve.all":-10},"parent":null}`, 200},
		{"GET", one + "/trims", "", 200}, {"POST", one + "/trims", made, 201}, {"GET", "/api/trims/1", "", 200},
		{"PATCH", "/api/trims/2", `{"name":"y"}`, 200}, {"POST", one + "/trims", made, 201}, {"DELETE", "/api/trims/3", "", 204},
		{"GET", "/api/records?keepMonths=3", "", 200}, {"PUT", "/api/records", `{"keepMonths":300}`, 422},
		{"PUT", "/api/records", `{"keepMonths":12}`, 200}, {"PUT", "/api/trials/1/keep", `{"keep":true}`, 204},
		{"PUT", "/api/trials/99/keep", `{"keep":true}`, 404},
		{"GET", one + "/removal", "", 200}, {"DELETE", one + "?name=other", "", 422}, {"DELETE", "/api/rigs/99?name=x", "", 404},
		{"POST", one + "/sessions", `{"base":1,"trim":1,"yardsticks":["none"],"runs":1}`, 422}, {"GET", one + "/sessions", "", 200},
		{"POST", "/api/sessions/9/end", "", 404},
		{"GET", "/api/kin", "", 200}, {"GET", "/api/batches", "", 200},
		{"POST", "/api/batches", `{"rigs":[99],"ladder":"quick"}`, 422}, {"POST", "/api/batches/9/stop", "", 404},
		{"POST", "/api/batches", fmt.Sprintf(`{"rigs":[%d,%d],"ladder":"none","mostW":-1}`, rig.ID, rig.ID), 422},
		{"GET", "/api/archive?rig=99", "", 404}, {"GET", "/api/archive", "", 200},
		{"POST", "/api/archive", "no archive", 422},
		{"POST", "/api/boards/try", `{"address":"nowhere at all"}`, 422}, {"POST", "/api/boards/try", `{"address":"http://127.0.0.1:9"}`, 409},
		{"GET", one + "/link-code", "", 200}, {"POST", one + "/link-code", `{"address":"https://10.0.0.2:7350"}`, 201},
		{"POST", one + "/link-code", `{"address":"ftp://x"}`, 422}, {"POST", one + "/link-code/take-in", "", 409},
		{"POST", "/api/link", `{"secret":"none","ticket":"` + strings.Repeat("0", 32) +
			`","facts":{"host":"","system":"","kernel":"","processor":"","cores":1,"threads":1,"memoryMB":1}}`, 409},
		{"POST", one + "/power", `{"how":"off"}`, 409}, {"POST", "/api/rigs/99/power", `{"how":"restart"}`, 404},
		{"POST", one + "/power", `{"how":"sail"}`, 422}, {"POST", "/api/stick", `{"code":"none"}`, 422},
		{"POST", one + "/sketch", "", 409}, {"POST", one + "/wording", `{"setting":"limit.sail"}`, 422},
		{"POST", one + "/hand-sketch", `{"board":"B","style":"sail"}`, 409},
		{"POST", "/api/rigs/99/hand-sketch", `{"board":"B","style":"window"}`, 404},
		{"GET", one + "/start", "", 200}, {"GET", "/api/rigs/99/start", "", 404},
		{"GET", one + "/headers", "", 200}, {"PUT", one + "/headers", `{"header":"duty.fan.1","role":"cooler"}`, 200},
		{"PUT", one + "/headers", `{"header":"duty.fan.1","role":"sail"}`, 422}, {"PUT", one + "/headers", `{"header":"duty.fan.9"}`, 404},
		{"POST", one + "/headers/sweep", `{"header":"duty.fan.9"}`, 422}, {"GET", one + "/cooling", "", 200},
		{"GET", one + "/cooling?heavy=30", "", 200}, {"GET", one + "/cooling?heavy=300&idle=1", "", 422},
		{"GET", one + "/cooling?trim=99", "", 404},
		{"POST", one + "/cooling", `{"curve":[{"c":30,"duty":30},{"c":50,"duty":40},{"c":70,"duty":60},{"c":85,"duty":100}]}`, 200},
		{"POST", one + "/cooling", `{"curve":[{"c":30,"duty":30},{"c":20,"duty":20}],"pump":"full"}`, 422},
		{"GET", one + "/soundings", "", 200}, {"GET", one + "/soundings?risk=0.01&keel=-5,-5,-5,-5,-5,-5,-5,-5", "", 200},
		{"GET", one + "/soundings?what=memory%20rate", "", 200}, {"GET", one + "/soundings?what=depth", "", 422},
		{"GET", one + "/surveyable", "", 200}, {"GET", one + "/surveyable?trim=99", "", 404},
		{"GET", one + "/soundings?risk=2", "", 422}, {"GET", one + "/soundings?keel=-99", "", 422}, {"GET", one + "/soundings?trim=99", "", 404},
		{"GET", one + "/pilots", "", 200}, {"POST", one + "/pilots", `{"trim":1,"minutes":1,"risk":0.9,"deepest":5,"clears":-1}`, 422},
		{"POST", one + "/pilots", `{"trim":1,"minutes":60}`, 409}, {"GET", "/api/goals", "", 200},
		{"GET", one + "/tuning?goal=cool&trim=1&minutes=480", "", 200}, {"GET", one + "/tuning?goal=loud&trim=1&minutes=480", "", 422},
		{"POST", "/api/pilots/9/pause", "", 404},
		{"POST", "/api/pilots/9/resume", "", 404}, {"POST", "/api/pilots/9/end", "", 404},
		{"GET", one + "/fittings", "", 200}, {"POST", one + "/fittings", `{"trim":1}`, 201}, {"GET", "/api/fittings/1", "", 200},
		{"GET", one + "/trials", "", 200}, {"POST", one + "/trials", `{"legs":[{"load":"idle","seconds":5}]}`, 409},
		{"GET", "/api/trials/1", "", 200},
		{"POST", "/api/trials/1/stop", "", 409}, {"POST", "/api/trials/1/give-up", "", 409}, {"POST", "/api/trials/1/marks", `{"text":"x"}`, 409},
		{"GET", "/api/trials/1/telemetry?buckets=10", "", 200},
		{"GET", "/api/trials/1/telemetry.csv?shape=long&keys=power.*", "", 200}, {"GET", "/api/loads", "", 200},
		{"GET", "/api/ladders?cores=6", "", 200}, {"PUT", "/api/ladders/own",
			`{"name":"Own","note":"","steps":[{"load":"heavy","seconds":60}]}`, 200},
		{"PUT", "/api/ladders/own", `{"name":"","note":"","steps":[{"load":"heavy","seconds":0,"perCoreS":0}]}`, 422},
		{"DELETE", "/api/ladders/own", "", 204}, {"DELETE", "/api/ladders/own", "", 404},
		{"POST", one + "/watches", `{"rule":{"channel":"temperature.package","when":"above","threshold":95,"margin":3,"delayS":5,
			"message":"too warm"},"send":"http://127.0.0.1:1/x"}`, 201},
		{"POST", one + "/watches", `{"rule":{"channel":"nope","when":"above","threshold":95,"margin":-3,"delayS":5,"message":"too warm"},
			"send":"ftp:x"}`, 422},
		{"PUT", one + "/corrections/voltage.core.delivered", `{"scale":0.5,"shift":0.01,"reason":"shown doubled"}`, 200},
		{"PUT", one + "/corrections/nope", `{"scale":0,"shift":1e12,"reason":"x"}`, 422},
		{"GET", one + "/corrections", "", 200}, {"DELETE", one + "/corrections/voltage.core.delivered", "", 204},
		{"DELETE", one + "/corrections/voltage.core.delivered", "", 404},
		{"GET", one + "/channels", "", 200}, {"GET", one + "/watchable", "", 200}, {"GET", "/api/channels", "", 200},
		{"GET", one + "/baseline", "", 200},
		{"GET", one + "/trials?before=1", "", 200}, {"GET", one + "/watches", "", 200}, {"DELETE", "/api/watches/1", "", 204},
		{"DELETE", "/api/watches/1", "", 404},
		{"GET", one + "/log", "", 200}, {"GET", one + "/log?kinds=trial,incident", "", 200},
		{"GET", "/api/part-forms", "", 200}, {"POST", "/api/part-check/cooler", `{"id":"x"}`, 200},
		{"POST", "/api/part-check/sail", `{}`, 422}, {"GET", one + "/told", "", 200}, {"GET", "/api/rigs/99/told", "", 404},
		{"GET", one + "/measuring", "", 200}, {"GET", "/api/rigs/99/measuring", "", 404}, {"POST", one + "/measuring", "", 409},
		{"POST", one + "/measuring/take", "", 409},
		{"PUT", one + "/parts", `{"processor":"x","board":"x","cooler":"x","memory":"x"}`, 409},
		{"GET", "/api/parts", "", 200}, {"GET", "/api/yardsticks", "", 200}, {"GET", one + "/scores", "", 200},
		{"GET", "/api/comparison?trim=1,2", "", 200}, {"GET", "/api/comparison?trim=999,998", "", 404},
		{"GET", fmt.Sprintf("/api/comparison?trim=%d,%d", stock, stock), "", 422},
		{"GET", fmt.Sprintf("/api/comparison?trim=%d", stock), "", 422},
		{"GET", "/api/comparison/energy?trim=1,2", "", 200}, {"GET", "/api/comparison/energy?trim=1,2&idle=20&heavy=9&perKWh=-1", "", 422},
		{"GET", "/api/fleet", "", 200}, {"GET", "/api/fleet/table", "", 200}, {"GET", "/api/workshop", "", 200},
		{"GET", "/api/find?words=curve", "", 200}, {"GET", "/api/find?words=%20", "", 422},
		{"GET", "/api/trims/2/blame", "", 200}, {"GET", "/api/trims/99/blame", "", 404},
		{"GET", "/api/trims/2/record?whole=true", "", 200}, {"GET", "/api/trims/99/record", "", 404},
		{"PUT", "/api/workshop",
			`{"name":"Low Quay","note":"","currency":"€","perKWh":0.3,"hours":{"idle":4,"light":3,"mixed":2,"heavy":1}}`, 200},
		{"PUT", "/api/workshop",
			`{"name":"x\u0007","note":"","currency":"€","perKWh":-1,"hours":{"idle":24,"light":3,"mixed":2,"heavy":1}}`, 422},
		{"GET", "/api/comparison/table?form=tabs&trim=1,2", "", 200},
		{"GET", one + "/incidents", "", 200}, {"POST", one + "/incidents", `{"kind":"froze","text":"at the desktop"}`, 201},
		{"POST", "/api/rigs", `{"name":"Bare","goal":"loud"}`, 422}, {"PATCH", one, `{"goal":"loud"}`, 422},
		{"PATCH", one, `{"goal":"cool"}`, 200}, {"POST", "/api/rigs", `{"name":"Bare","goal":"quiet"}`, 201},
		{"PUT", "/api/parts/memory/cairn-6000", memorySheet(t, rig.Config.Parts.Memory), 200},
		{"POST", one + "/drawings", `{"settings":{"curve.all":-10},"parent":null}`, 200}, {"GET", one + "/registry", "", 200},
		{"POST", one + "/registry/sheet", `{"id":"learnt","model":"L","mapping":{"CurveShiftAll":"curve.all"}}`, 200},
		{"POST", one + "/registry/sheet", `{"id":"learnt","model":"L","mapping":{"Nope":"curve.all","CurveShiftAll":"no.such"}}`, 422},
		{"POST", one + "/entry", `{"settings":{},"parent":null,"volts":1.1}`, 200},
		{"POST", one + "/entry", `{"settings":{},"parent":null,"volts":1.9}`, 422},
		{"GET", "/api/trims/1/file", "", 200}, {"GET", "/api/trims/1/outcome", "", 200}, {"GET", "/api/trims/2/card?full=true", "", 200},
		{"POST", one + "/trims/import",
			`{"format":"zerokeel.trim/1","name":"in","for":{"processor":"","board":""},"settings":{"curve.all":-8}}`, 201},
		{"POST", "/api/trims/2/copy", fmt.Sprintf(`{"rig":%d}`, rig.ID), 201}, {"GET", one + "/difference?from=1&to=2", "", 200},
		{"PUT", "/api/fittings/1/ticks", `{"keys":[]}`, 409}, {"POST", "/api/fittings/1/entered", "", 409},
		{"POST", "/api/fittings/1/cancel", "", 409}, {"POST", "/api/fittings/1/no-post", "", 409},
		{"GET", "/api/parts/memory/cairn-6000", "", 200}, {"DELETE", "/api/parts/memory/cairn-6000", "", 409},
		{"GET", "/api/rigs/99", "", 404}, {"GET", "/api/fittings/99", "", 404}, {"POST", "/api/rigs", `{}`, 422},
	}
	covered := map[string]bool{}
	for _, q := range requests {
		request, err := http.NewRequest(q.method, rig.Address+q.path, strings.NewReader(q.body))
		if err != nil {
			t.Fatal(err)
		}
		if q.body != "" {
			request.Header.Set("Content-Type", "application/json")
		}
		if q.body != "" && q.body[0] != '{' {
			request.Header.Set("Content-Type", "text/csv")
		}
		if q.path == "/api/archive" && q.body != "" {
			request.Header.Set("Content-Type", "application/zip")
		}
		response, err := http.DefaultClient.Do(request)
		if err != nil {
			t.Fatal(err)
		}
		text, err := io.ReadAll(response.Body)
		_ = response.Body.Close()
		if err != nil {
			t.Fatal(err)
		}
		if response.StatusCode != q.status {
			t.Errorf("%s %s: got %d, want %d: %s", q.method, q.path, response.StatusCode, q.status, text)
			continue
		}
		request.URL.Scheme, request.URL.Host = "", "" // the description is relative to its server
		route, params, err := router.FindRoute(request)
		if err != nil {
			t.Errorf("%s %s is not described: %v", q.method, q.path, err)
			continue
		}
		covered[q.method+" "+route.Path] = true
		input := &openapi3filter.ResponseValidationInput{
			RequestValidationInput: &openapi3filter.RequestValidationInput{Request: request, PathParams: params, Route: route},
			Status:                 response.StatusCode, Header: response.Header, Body: io.NopCloser(bytes.NewReader(text)),
			Options: &openapi3filter.Options{IncludeResponseStatus: true},
		}
		if err := openapi3filter.ValidateResponse(t.Context(), input); err != nil {
			t.Errorf("%s %s: %v", q.method, q.path, err)
		}
	}
	for path, item := range doc.Paths.Map() {
		for method := range item.Operations() {
			if !covered[method+" "+path] && path != "/api/events" {
				t.Errorf("%s %s is described but not tried here", method, path)
			}
		}
	}
}

func memorySheet(t *testing.T, m *part.Memory) string {
	t.Helper()
	text, err := json.Marshal(m)
	if err != nil {
		t.Fatal(err)
	}
	return string(text)
}

// TestGeneratedTypesAreFresh makes the types of server and front end anew and compares.
func TestGeneratedTypesAreFresh(t *testing.T) {
	dir := t.TempDir()
	text, err := os.ReadFile("api/oapi-codegen.yaml")
	if err != nil {
		t.Fatal(err)
	}
	config := filepath.Join(dir, "config.yaml")
	if err := os.WriteFile(config, bytes.Replace(text, []byte("output: api.gen.go"), []byte("output: "+dir+"/api.gen.go"), 1),
		0o600); err != nil {
		t.Fatal(err)
	}
	for _, row := range []struct {
		have string
		cmd  *exec.Cmd
		made string
	}{
		{"api/api.gen.go", exec.Command("go", "tool", "-modfile=../tools/go.mod", "oapi-codegen", "-config", config, "api/openapi.yaml"),
			dir + "/api.gen.go"},
		{"../web/src/api/schema.gen.ts", exec.Command("../web/node_modules/.bin/openapi-typescript", "api/openapi.yaml", "-o",
			dir+"/schema.gen.ts"), dir + "/schema.gen.ts"},
	} {
		if out, err := row.cmd.CombinedOutput(); err != nil {
			t.Fatalf("%v: %v\n%s", row.cmd, err, out)
		}
		want, err := os.ReadFile(row.made)
		if err != nil {
			t.Fatal(err)
		}
		have, err := os.ReadFile(row.have)
		if err != nil {
			t.Fatal(err)
		}
		if !bytes.Equal(have, want) {
			t.Errorf("%s is not what api/openapi.yaml makes; run ./keel generate", row.have)
		}
	}
}

// TestBadInputNamesItsFields: whatever is wrong, the answer is problem+json that names each field, and nothing changed.
func TestBadInputNamesItsFields(t *testing.T) {
	rig := servertest.Start(t).AddRig(petrel(t, nil), 600)
	stock := rig.Trims()[0].Id
	one := fmt.Sprintf("/api/rigs/%d", rig.ID)
	trimOf := func(settings string) string {
		return fmt.Sprintf(`{"parent":%d,"name":"x","settings":%s}`, stock, settings)
	}
	rows := []struct {
		name, method, path, body string
		status                   int
		fields                   []string
	}{
		{"empty body", "POST", one + "/trims", "", 422, []string{""}},
		{"no JSON", "POST", one + "/trims", "{", 422, []string{""}},
		{"unknown field", "POST", "/api/rigs", `{"name":"x","colour":"red"}`, 422, []string{"colour"}},
		{"everything missing", "POST", one + "/trims", `{}`, 422, []string{"parent", "name", "settings"}},
		{"every setting wrong", "POST", one + "/trims", trimOf(`{"curve.all":-100,"limit.ppt":0.142,"clock.boostOffset":30,"nonsense":1}`), 422,
			[]string{"settings.limit.ppt", "settings.clock.boostOffset", "settings.curve.all", "settings.nonsense"}},
		{"number past the range", "POST", one + "/trims", trimOf(`{"curve.all":1e999}`), 422, []string{"settings.curve.all"}},
		{"parent of nobody", "POST", one + "/trims", `{"parent":99,"name":"x","settings":{}}`, 422, []string{"parent"}},
		{"legs wrong in many ways", "POST", one + "/trials",
			`{"legs":[{"load":"heavy","seconds":60,"cores":[0,0,9]},{"seconds":5},{"load":"heavy","seconds":9,"inject":{"core":12,"afterS":0}}]}`,
			409, nil},
		{"no legs", "POST", one + "/trials", `{"legs":[]}`, 422, []string{"legs"}},
		{"zero time", "POST", one + "/trials", `{"legs":[{"load":"heavy","seconds":0}]}`, 422, []string{"legs.0.seconds"}},
		{"unknown load", "POST", one + "/trials", `{"legs":[{"load":"warp","seconds":5}]}`, 422, []string{"legs.0.load"}},
		{"parts of nobody", "POST", "/api/rigs", `{"name":"x","parts":{"processor":"a","board":"b","cooler":"c","memory":"d"}}`, 422,
			[]string{"parts"}},
		{"board without a scheme", "POST", "/api/rigs", `{"name":"x","firmware":{"address":"10.0.0.5"}}`, 422, []string{"firmware.address"}},
		{"sheet with points out of order", "PUT", "/api/parts/processor/x",
			`{"id":"x1","model":"m","vf":[{"mhz":2,"v":0.5},{"mhz":1,"v":0.5},{"mhz":3,"v":0.5}]}`, 422, nil},
		{"name of spaces", "POST", "/api/rigs", `{"name":"  "}`, 422, []string{"name"}},
		{"name that turns the text around, and a setting wrong", "POST", one + "/trims",
			fmt.Sprintf(`{"parent":%d,"name":"x\u202ey","settings":{"curve.all":-100}}`, stock), 422, []string{"settings.curve.all", "name"}},
		{"board with a login in its address", "POST", "/api/rigs", `{"name":"x","firmware":{"address":"http://a:b@10.0.0.5"}}`, 422,
			[]string{"firmware.address"}},
		{"id no number", "GET", "/api/rigs/first", "", 422, []string{"rig"}},
		{"unknown resource", "GET", "/api/rocks", "", 404, nil},
		{"wrong method", "PUT", one, "{}", 405, nil}, {"removal of no name", "DELETE", one, "", 422, []string{"name"}},
	}
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			var in any
			if row.method != "GET" && row.method != "DELETE" {
				in = row.body
			}
			status, text := rig.Raw(row.method, row.path, in)
			var p api.Problem
			if err := json.Unmarshal(text, &p); err != nil {
				t.Fatalf("%d %s", status, text)
			}
			if status != row.status || p.Title == "" {
				t.Errorf("got %d, want %d: %s", status, row.status, text)
			}
			if row.fields == nil {
				return
			}
			var got []string
			for _, f := range p.Faults {
				got = append(got, f.Field)
				if f.Problem == "" || f.Remedy == "" {
					t.Errorf("fault without problem or remedy: %+v", f)
				}
			}
			if strings.Join(got, " ") != strings.Join(row.fields, " ") {
				t.Errorf("got fields %q, want %q: %s", got, row.fields, text)
			}
		})
	}
	if n := len(rig.Trims()); n != 1 {
		t.Errorf("refused requests made %d trims", n-1)
	}
	if status, _ := rig.Raw("POST", one+"/trims", `{"reason":"`+strings.Repeat("x", 5<<20)+`"}`); status != http.StatusRequestEntityTooLarge {
		t.Errorf("a huge body: got %d, want 413", status)
	}
}

// TestPagesFromElsewhereAreRefused: a browser that another page misuses cannot drive the bench.
func TestPagesFromElsewhereAreRefused(t *testing.T) {
	bench := servertest.Start(t)
	rows := []struct {
		name, method, path string
		header             map[string]string
		host               string
		status             int
	}{
		{"own page", "POST", "/api/rigs", map[string]string{"Origin": bench.Address, "Content-Type": "application/json"}, "", 422},
		{"foreign page", "POST", "/api/rigs", map[string]string{"Origin": "http://evil.example", "Content-Type": "application/json"}, "", 403},
		{"foreign page reads", "GET", "/api/rigs", map[string]string{"Origin": "http://evil.example"}, "", 403},
		{"sandboxed page", "POST", "/api/rigs", map[string]string{"Origin": "null", "Content-Type": "application/json"}, "", 403},
		{"a form", "POST", "/api/rigs", map[string]string{"Content-Type": "text/plain"}, "", 415},
		{"a name bent to this address", "GET", "/api/rigs", nil, "evil.example", 421},
		{"link without a token", "GET", "/link", nil, "", 401},
		{"link with a wrong token", "GET", "/link", map[string]string{"Authorization": "Bearer wrong"}, "", 401},
		{"link from a page", "GET", "/link", map[string]string{"Origin": "http://evil.example"}, "", 403},
	}
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			request, err := http.NewRequest(row.method, bench.Address+row.path, strings.NewReader("{}"))
			if err != nil {
				t.Fatal(err)
			}
			if row.method == "GET" {
				request.Body, request.ContentLength = nil, 0
			}
			for k, v := range row.header {
				request.Header.Set(k, v)
			}
			if row.host != "" {
				request.Host = row.host
			}
			response, err := http.DefaultClient.Do(request)
			if err != nil {
				t.Fatal(err)
			}
			_ = response.Body.Close()
			if response.StatusCode != row.status {
				t.Errorf("got %d, want %d", response.StatusCode, row.status)
			}
		})
	}
	for path, kind := range map[string]string{"/": "text/html", "/rig/1/trim": "text/html", "/api": "text/html",
		"/api/openapi.json": "application/json"} {
		response, err := http.Get(bench.Address + path)
		if err != nil {
			t.Fatal(err)
		}
		_ = response.Body.Close()
		if response.StatusCode != 200 || !strings.HasPrefix(response.Header.Get("Content-Type"), kind) {
			t.Errorf("%s: %d, %s", path, response.StatusCode, response.Header.Get("Content-Type"))
		}
	}
}
