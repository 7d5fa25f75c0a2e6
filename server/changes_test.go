package server_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"testing"

	"github.com/jmoiron/sqlx"

	"zerokeel/core/channel"
	"zerokeel/core/part"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/store/storetest"
)

// TestNoChangeIsLost: of whatever can be changed, a change that was made for a version that is no longer is refused, with what others
// changed, and changes nothing; for the version that there is it is made, and without one too.
func TestNoChangeIsLost(t *testing.T) {
	bench := servertest.Start(t)
	rig := bench.AddRig(petrel(t, nil), 600)
	fake := bench.AddFake("Desk", []channel.Channel{{Key: "t", Label: "T", Unit: "\u00b0C"}})
	draft := fmt.Sprintf(`{"parent":%d,"name":"x","settings":{"curve.all":-5}}`, rig.Trims()[0].Id)
	var trim api.Trim
	rig.Call("POST", fmt.Sprintf("/api/rigs/%d/trims", rig.ID), draft, 201, &trim)
	ladder := func(name string) string {
		return fmt.Sprintf(`{"name":%q,"note":"","steps":[{"load":"heavy","seconds":60}]}`, name)
	}
	rig.Call("PUT", "/api/ladders/own", ladder("Own"), 200, nil)
	rig.Call("PUT", fmt.Sprintf("/api/rigs/%d/corrections/t", fake.ID), `{"scale":1,"shift":2,"reason":"a"}`, 200, nil)
	rig.Call("POST", "/api/accounts", `{"name":"Bo","role":"builder","password":"of brass and rope"}`, 201, nil)
	sheet := func(model string) string {
		cooler := rig.Config.Parts.Cooler
		cooler.Model = model
		text, err := json.Marshal(cooler)
		if err != nil {
			t.Fatal(err)
		}
		return string(text)
	}
	cooler := "/api/parts/cooler/" + rig.Config.Parts.Cooler.ID
	version := func(list, key, value string) string {
		t.Helper()
		var all []map[string]any
		bench.Call("GET", list, nil, 200, &all)
		for _, one := range all {
			if fmt.Sprint(one[key]) == value {
				return one["version"].(string)
			}
		}
		t.Fatalf("%s lists no %s %s", list, key, value)
		return ""
	}
	for _, row := range []struct {
		method, path              string
		list, key, value          string
		first, second, field, now string
	}{
		{"PATCH", fmt.Sprintf("/api/rigs/%d", rig.ID), "/api/rigs", "id", fmt.Sprint(rig.ID),
			`{"ambientC":24}`, `{"note":"mine"}`, "ambientC", "24"},
		{"PATCH", fmt.Sprintf("/api/trims/%d", trim.Id), fmt.Sprintf("/api/rigs/%d/trims", rig.ID), "id", fmt.Sprint(trim.Id),
			`{"settings":{"curve.all":-7}}`, `{"notes":"mine"}`, "settings.curve", "\"curve.all\":-7"},
		{"PUT", "/api/ladders/own", "/api/ladders", "id", "own", ladder("Theirs"), ladder("Mine"), "name", "Theirs"},
		{"DELETE", "/api/ladders/own", "/api/ladders", "id", "own", ladder("Other"), "", "name", "Other"},
		{"PUT", fmt.Sprintf("/api/rigs/%d/corrections/t", fake.ID), fmt.Sprintf("/api/rigs/%d/corrections", fake.ID), "channel", "t",
			`{"scale":1,"shift":3,"reason":"a"}`, `{"scale":1,"shift":4,"reason":"a"}`, "shift", "3"},
		{"PUT", cooler, "/api/parts", "id", rig.Config.Parts.Cooler.ID, sheet("theirs"), sheet("mine"), "sheet", ""},
		{"PATCH", "/api/accounts/1", "/api/accounts", "id", "1", `{"role":"guest"}`, `{"closed":true}`, "role", "guest"},
	} {
		change := func(b *servertest.Bench, method, text string) (int, []byte) {
			if text == "" {
				return b.Raw(method, row.path, nil)
			}
			return b.Raw(method, row.path, text)
		}
		seen := version(row.list, row.key, row.value)
		first := row.method
		if first == "DELETE" {
			first = "PUT"
		}
		if status, text := change(bench.With("If-Match", `"`+seen+`"`), first, row.first); status != 200 {
			t.Errorf("%s %s for its version: %d %s", first, row.path, status, text)
		}
		stands := version(row.list, row.key, row.value)
		status, text := change(bench.With("If-Match", `"`+seen+`"`), row.method, row.second)
		var p api.Problem
		if err := json.Unmarshal(text, &p); err != nil || status != http.StatusPreconditionFailed || len(p.Faults) != 1 ||
			p.Faults[0].Field != row.field || !strings.Contains(p.Faults[0].Problem, row.now) {
			t.Errorf("%s %s for the version of before: %d %s", row.method, row.path, status, text)
		}
		if after := version(row.list, row.key, row.value); after != stands {
			t.Errorf("%s %s was refused and changed it", row.method, row.path)
		}
		if status, text := change(bench.With("If-Match", `"`+stands+`"`), row.method, row.second); status != 200 && status != 204 {
			t.Errorf("%s %s once it was looked at again: %d %s", row.method, row.path, status, text)
		}
	}
	rig.Call("PATCH", fmt.Sprintf("/api/rigs/%d", rig.ID), `{"ambientC":25}`, 200, nil)
	var both sync.WaitGroup
	for _, text := range []string{`{"notes":"kept"}`, `{"profile":"quiet"}`, `{"reason":"because"}`, `{"settings":{"curve.all":-9}}`} {
		both.Go(func() {
			if status, answer := rig.Raw("PATCH", fmt.Sprintf("/api/trims/%d", trim.Id), text); status != 200 {
				t.Errorf("%s: %d %s", text, status, answer)
			}
		})
	}
	both.Wait()
	rig.Call("GET", fmt.Sprintf("/api/trims/%d", trim.Id), nil, 200, &trim)
	if trim.Notes != "kept" || trim.Profile != "quiet" || trim.Reason != "because" || trim.Settings["curve.all"] != part.Number(-9) {
		t.Errorf("of four changes at once: %q, %q, %q, %v", trim.Notes, trim.Profile, trim.Reason, trim.Settings)
	}
}

// TestAskedTwiceDoneOnce: requests with the same key and the same words are done once, whether they come at once or later, and all are
// answered alike; what was refused is tried again, and other words, or another key, are another request.
func TestAskedTwiceDoneOnce(t *testing.T) {
	s, dsns := storetest.OpenDSN(t)
	bench := servertest.Pages(t, s)
	const clicks = 8
	var answers sync.Map
	var all sync.WaitGroup
	for i := range clicks {
		all.Go(func() {
			status, text := bench.With("Idempotency-Key", "one").Raw("POST", "/api/rigs", `{"name":"Desk"}`)
			answers.Store(i, fmt.Sprint(status, string(text)))
		})
	}
	all.Wait()
	first, _ := answers.Load(0)
	for i := range clicks {
		if got, _ := answers.Load(i); got != first || !strings.HasPrefix(fmt.Sprint(got), "201") {
			t.Errorf("click %d: %v, the first %v", i, got, first)
		}
	}
	raw := sqlx.MustConnect("mysql", dsns[0])
	defer func() { _ = raw.Close() }()
	var kept string
	if err := raw.Get(&kept, `SELECT body FROM repeats`); err != nil || kept == "" || strings.Contains(kept, "token") {
		t.Errorf("the answer, with the rig's token, is kept as %.80s, %v", kept, err)
	}
	bench.With("Idempotency-Key", "two").Call("POST", "/api/rigs", `{"name":"Desk"}`, 422, nil)
	bench.With("Idempotency-Key", "one").Call("POST", "/api/rigs", `{"name":"Bench"}`, 201, nil)
	bench.With("Idempotency-Key", "three").Call("POST", "/api/rigs/9/trials", `{"legs":[{"load":"idle","seconds":5}]}`, 404, nil)
	bench.With("Idempotency-Key", "three").Call("POST", "/api/rigs/9/trials", `{"legs":[{"load":"idle","seconds":5}]}`, 404, nil)
	bench.With("Idempotency-Key", strings.Repeat("k", 101)).Call("POST", "/api/rigs", `{"name":"Other"}`, 422, nil)
	var rigs []api.Rig
	if bench.Call("GET", "/api/rigs", nil, 200, &rigs); len(rigs) != 2 {
		t.Errorf("%d rigs were made", len(rigs))
	}
}
