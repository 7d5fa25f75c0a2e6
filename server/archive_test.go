package server_test

import (
	"archive/zip"
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"testing"

	"zerokeel/archive"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/standin"
	"zerokeel/store/storetest"
)

// fetched returns an archive of a bench's rigs.
func fetched(t testing.TB, b *servertest.Bench, query string) []byte {
	t.Helper()
	answer, err := http.Get(b.Address + "/api/archive" + query)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = answer.Body.Close() }()
	text, err := io.ReadAll(answer.Body)
	if err != nil || answer.StatusCode != 200 {
		t.Fatalf("%d, %v: %.300s", answer.StatusCode, err, text)
	}
	return text
}

// taken has a bench take in an archive, and returns its answer.
func taken(t testing.TB, b *servertest.Bench, query string, text []byte) (int, string, []api.TakenRig) {
	t.Helper()
	answer, err := http.Post(b.Address+"/api/archive"+query, "application/zip", bytes.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = answer.Body.Close() }()
	body, err := io.ReadAll(answer.Body)
	if err != nil {
		t.Fatal(err)
	}
	var list []api.TakenRig
	if answer.StatusCode == 201 {
		if err := json.Unmarshal(body, &list); err != nil {
			t.Fatal(err)
		}
	}
	return answer.StatusCode, string(body), list
}

func opened(t testing.TB, text []byte) *archive.Reader {
	t.Helper()
	a, err := archive.Open(bytes.NewReader(text), int64(len(text)))
	if err != nil {
		t.Fatal(err)
	}
	return a
}

// file returns a file of an archive.
func file(t testing.TB, a *archive.Reader, name string) []byte {
	t.Helper()
	text, err := a.File(name)
	if err != nil {
		t.Fatal(err)
	}
	return text
}

// busyRig is a rig with something of everything: a course with a failure, scores by turns, what was typed, a watch, a correction, a
// log, a fan that was learnt, and a survey.
func busyRig(t testing.TB, bench *servertest.Bench) *servertest.Rig {
	t.Helper()
	rig := bench.AddRig(petrel(t, otherFan), 600)
	one := fmt.Sprintf("/api/rigs/%d", rig.ID)
	stock := rig.Trims()[0].Id
	rig.Fit(stock)
	trial := rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("heavy", 120), servertest.Leg("idle", 60)}}).Id)
	injected := servertest.Leg("heavy", 60)
	injected.Inject = &api.Inject{Core: 1, AfterS: 5}
	rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{injected}}).Id)
	var deep api.Trim
	rig.Call("POST", one+"/trims", map[string]any{"parent": stock, "name": "deep", "reason": "too deep, on purpose",
		"settings": map[string]any{"limit.ppt": 142, "curve.all": -26}}, 201, &deep)
	rig.Fit(deep.Id)
	for range 4 {
		long := api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("heavy", 1800)}}
		if failed := rig.Ended(rig.Start(long).Id); failed.Verdict != "held" {
			break
		}
	}
	rig.Fit(stock)
	score := api.StartTrialRequest{Purpose: ptr(api.StartTrialRequestPurposeScore), Legs: []api.LegRequest{{Yardstick: ptr("burst")}}}
	rig.Ended(rig.Start(score).Id)
	rig.Call("POST", one+"/scores", map[string]any{"trim": stock, "yardstick": "Own game", "unit": "1/s", "better": "higher",
		"values": []float64{141, 143}}, 201, nil)
	rig.Call("POST", one+"/watches", map[string]any{"rule": map[string]any{"channel": "temperature.package", "when": "above", "threshold": 90,
		"margin": 3, "delayS": 5, "message": "too warm"}, "send": ""}, 201, nil)
	rig.Call("PUT", one+"/corrections/temperature.vrm", map[string]any{"scale": 1, "shift": 2.5, "reason": "by a second probe"}, 200, nil)
	rig.Call("PATCH", one, map[string]any{"note": "Edit desk; ‘quotes’, commas, and a line\nbreak.",
		"goal": "quiet"}, 200, nil)
	log := strings.NewReader("s,meter [W]\n0,101\n1,102.5\n")
	answer, err := http.Post(fmt.Sprintf("%s/api/trials/%d/logs", bench.Address, trial.Id), "text/csv", log)
	if err != nil || answer.StatusCode != 201 {
		t.Fatalf("a log is not taken: %v, %v", answer, err)
	}
	_ = answer.Body.Close()
	var sweep api.Trial
	rig.Call("POST", one+"/headers/sweep", map[string]any{"header": "duty.fan.1"}, 201, &sweep)
	rig.Ended(sweep.Id)
	return rig
}

// TestRigIsCarriedToAnotherServer: what leaves with a rig arrives whole: another server makes the same archive of it, file by file
// and byte by byte, shows the same course, and takes the rig's agent by its new token.
func TestRigIsCarriedToAnotherServer(t *testing.T) {
	here := servertest.Start(t)
	rig := busyRig(t, here)
	text := fetched(t, here, fmt.Sprintf("?rig=%d", rig.ID))
	left := opened(t, text)
	for _, table := range []string{"trims", "fittings", "trials", "legs", "events", "scores", "watches", "corrections", "logs", "fans"} {
		if left.Rigs[0].Lines[table] == 0 {
			t.Errorf("the archive has no %s", table)
		}
	}
	if len(left.Rigs[0].Legs) < 4 || left.Shared["parts"] != 4 {
		t.Errorf("%+v", left.Contents)
	}
	for _, name := range left.Names() {
		for _, secret := range []string{"token", "password"} {
			if bytes.Contains(file(t, left, name), []byte(secret)) {
				t.Errorf("%s holds a %s", name, secret)
			}
		}
	}
	there := servertest.On(t, storetest.Open(t))
	other := there.AddRig(example(t, "gannet"), 600) // so that numbers differ
	other.Fit(other.Trims()[0].Id)
	for _, name := range []string{"twin", "triplet"} { // of the same parts, which more rigs use here
		there.AddRig(petrel(t, func(cfg *standin.Config) { cfg.Name = name }), 600)
	}
	status, words, list := taken(t, there, "", text)
	if status != 201 || len(list) != 1 || list[0].Name != "petrel" || list[0].Token == "" {
		t.Fatalf("%d: %s", status, words)
	}
	arrived := opened(t, fetched(t, there, fmt.Sprintf("?rig=%d", list[0].Rig)))
	if a, b := strings.Join(left.Names(), " "), strings.Join(arrived.Names(), " "); a != b {
		t.Fatalf("the files are %s, were %s", b, a)
	}
	for _, name := range left.Names() {
		before, after := file(t, left, name), file(t, arrived, name)
		if !bytes.Equal(before, after) {
			at := 0
			for at < min(len(before), len(after)) && before[at] == after[at] {
				at++
			}
			from := max(0, at-60)
			t.Errorf("%s differs at byte %d: %.160q, was %.160q", name, at, after[from:], before[from:])
		}
	}
	var course []api.Trim
	there.Call("GET", fmt.Sprintf("/api/rigs/%d/trims", list[0].Rig), nil, 200, &course)
	was := rig.Trims()
	for i := range was {
		if course[i].Name != was[i].Name || course[i].Standing != was[i].Standing || course[i].Verdict != was[i].Verdict {
			t.Errorf("%+v, was %+v", course[i], was[i])
		}
	}
	var cooling api.Cooling
	there.Call("GET", fmt.Sprintf("/api/rigs/%d/cooling", list[0].Rig), nil, 200, &cooling)
	if cooling.Known != "sweep" {
		t.Errorf("the fan is known by %s", cooling.Known)
	}
	if status, words, _ = taken(t, there, "", text); status != 422 || !strings.Contains(words, "there is a rig called petrel here already") {
		t.Errorf("taken in twice: %d %s", status, words)
	}
	if status, words, list = taken(t, there, "?as=Petrel%20again", text); status != 201 || list[0].Name != "Petrel again" {
		t.Errorf("under another name: %d %s", status, words)
	}
	whole := fetched(t, there, "")
	if all := opened(t, whole); len(all.Rigs) != 5 || all.Shared["parts"] < 7 {
		t.Errorf("of all: %+v", all.Contents)
	}
	if status, words, list = taken(t, servertest.On(t, storetest.Open(t)), "", whole); status != 201 || len(list) != 5 {
		t.Errorf("all of them: %d %s", status, words)
	}
}

// rewritten is an archive with its files changed, added to, or left out.
func rewritten(t testing.TB, text []byte, change func(name string, body []byte) []byte, add ...string) []byte {
	t.Helper()
	in, err := zip.NewReader(bytes.NewReader(text), int64(len(text)))
	if err != nil {
		t.Fatal(err)
	}
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	put := func(name string, body []byte) {
		to, err := w.Create(name)
		if err == nil {
			_, err = to.Write(body)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	for _, f := range in.File {
		from, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		body, err := io.ReadAll(from)
		if err != nil {
			t.Fatal(err)
		}
		if body = change(f.Name, body); body != nil {
			put(f.Name, body)
		}
	}
	for _, name := range add {
		put(name, []byte("{}\n"))
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// TestBadArchivesAreRefused: what was cut off, damaged, doubled, made by a newer version or made up is refused with words, and
// nothing of it is taken in.
func TestBadArchivesAreRefused(t *testing.T) {
	here := servertest.Start(t)
	rig := here.AddRig(petrel(t, nil), 600)
	rig.Fit(rig.Trims()[0].Id)
	running := rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("heavy", 3600)}})
	var busy api.Problem
	rig.Call("GET", fmt.Sprintf("/api/archive?rig=%d", rig.ID), nil, 409, &busy)
	if !strings.Contains(busy.Title, "something runs on petrel") {
		t.Errorf("%+v", busy)
	}
	here.Until("its leg has told figures", func() bool {
		legs := rig.Trial(running.Id).Legs
		return len(legs) > 0 && legs[0].RanS > 10
	})
	rig.Call("POST", fmt.Sprintf("/api/trials/%d/stop", running.Id), nil, 200, nil)
	rig.Ended(running.Id)
	text := fetched(t, here, "")
	there := servertest.On(t, storetest.Open(t))
	same := func(_ string, body []byte) []byte { return body }
	in := func(file, from, to string) []byte {
		done := false
		out := rewritten(t, text, func(name string, body []byte) []byte {
			if strings.HasSuffix(name, file) && !done {
				changed := bytes.Replace(body, []byte(from), []byte(to), 1)
				done = !bytes.Equal(changed, body)
				return changed
			}
			return body
		})
		if !done {
			t.Fatalf("%q does not stand in %s", from, file)
		}
		return out
	}
	flipped := bytes.Clone(text)
	files, err := zip.NewReader(bytes.NewReader(text), int64(len(text)))
	if err != nil {
		t.Fatal(err)
	}
	largest := slices.MaxFunc(files.File, func(a, b *zip.File) int { return cmp.Compare(a.CompressedSize64, b.CompressedSize64) })
	data, err := largest.DataOffset()
	if err != nil {
		t.Fatal(err)
	}
	flipped[data+int64(largest.CompressedSize64)/2] ^= 4
	for _, row := range []struct {
		name, says string
		text       []byte
	}{
		{"nothing", "it is no archive", []byte("rig,trim\n")},
		{"cut off", "its end is missing", text[:len(text)*2/3]},
		{"a bit flipped", "cannot be read", flipped},
		{"newer", "bring this server to the version that made it", in("manifest.json", "zerokeel.archive/1", "zerokeel.archive/7")},
		{"doubled", "stands in it twice", rewritten(t, text, same, "rig-1/trims.jsonl")},
		{"a file is missing", "legs.jsonl is missing", rewritten(t, text, func(name string, body []byte) []byte {
			if strings.HasSuffix(name, "legs.jsonl") {
				return nil
			}
			return body
		})},
		{"a line is missing", "and should have", in("manifest.json", `"trims": 1`, `"trims": 2`)},
		{"a column of another version", "no column of this version", in("trims.jsonl", `"name"`, `"call"`)},
		{"no JSON", "line 1 of trials cannot be taken", in("trials.jsonl", `{`, `[`)},
		{"a row that names nothing", "which is not there", in("legs.jsonl", `"trial_id":1`, `"trial_id":77`)},
		{"a channel that nobody announced", "is not announced", in("leg-1.csv", "power.package", "power.mains")},
		{"no figure", "is no figure", nil},
	} {
		if row.name == "no figure" {
			row.text = rewritten(t, text, func(name string, body []byte) []byte {
				if strings.HasSuffix(name, "leg-1.csv") {
					lines := bytes.SplitN(body, []byte("\n"), 3)
					return bytes.Join([][]byte{lines[0], bytes.Replace(lines[1], []byte(","), []byte(",many"), 1), lines[2]}, []byte("\n"))
				}
				return body
			})
		}
		status, words, _ := taken(t, there, "", row.text)
		if status != 422 || !strings.Contains(words, row.says) {
			t.Errorf("%s: %d %.300s", row.name, status, words)
		}
	}
	other := in("parts.jsonl", `"maxRPM":1900`, `"maxRPM":1901`)
	if status, words, _ := taken(t, here, "?as=second", other); status != 422 || !strings.Contains(words, "is another one here") {
		t.Errorf("a sheet that is another one here: %d %s", status, words)
	}
	var rigs []api.Rig
	there.Call("GET", "/api/rigs", nil, 200, &rigs)
	if len(rigs) != 0 {
		t.Errorf("%d rigs were taken in", len(rigs))
	}
	if status, words, _ := taken(t, there, "", text); status != 201 {
		t.Errorf("after all that it is not taken as it was: %d %s", status, words)
	}
}
