package server_test

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"slices"
	"testing"
	"time"

	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/store/storetest"
)

// full fills a bench with rigs of one kind, each with so many trims and trials of two legs, by plain SQL: what is measured is
// how it is read.
func full(b *testing.B, bench *servertest.Bench, dsn, standin string, rigs, trims, trials int) *sql.DB {
	b.Helper()
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		b.Fatal(err)
	}
	b.Cleanup(func() { _ = db.Close() })
	cfg := example(b, standin)
	for kind, sheet := range map[string]any{"processor": cfg.Parts.Processor, "board": cfg.Parts.Board, "cooler": cfg.Parts.Cooler,
		"memory": cfg.Parts.Memory} {
		id := map[string]string{"processor": cfg.Parts.Processor.ID, "board": cfg.Parts.Board.ID, "cooler": cfg.Parts.Cooler.ID,
			"memory": cfg.Parts.Memory.ID}[kind]
		bench.Call("PUT", "/api/parts/"+kind+"/"+id, sheet, 200, nil)
	}
	for i := range rigs {
		bench.Call("POST", "/api/rigs", api.CreateRigRequest{Name: fmt.Sprintf("Rig %d", i+1), Parts: &api.PartNames{
			Processor: cfg.Parts.Processor.ID, Board: cfg.Parts.Board.ID, Cooler: cfg.Parts.Cooler.ID, Memory: cfg.Parts.Memory.ID}}, 201, nil)
	}
	figures := `[{"key":"power.package","label":"Package power","unit":"W","mean":141.5,"peak":160},{"key":"temperature.package",
		"label":"Hottest core","unit":"°C","mean":78,"peak":84},
		{"key":"clock.effective.mean","label":"Effective clock","unit":"MHz","mean":5050,"peak":5100},{"key":"voltage.core.delivered",
		"label":"Core voltage delivered","unit":"V","mean":1.19,"peak":1.25},
		{"key":"voltage.core.requested","label":"Core voltage requested","unit":"V","mean":1.24,"peak":1.3},{"key":"temperature.ambient",
		"label":"Ambient","unit":"°C","mean":23,"peak":23}]`
	result := `{"verdict":"held","core":-1,"atS":300,"why":"","limiters":{},"evidence":[],"exposure":[300,300,300,300,300,300,300,300]}`
	for _, q := range []struct {
		text string
		args []any
	}{
		{fmt.Sprintf(`INSERT INTO trims (rig_id, number, parent_id, name, reason, settings, standing, core, created_at, notes)
			SELECT t.rig_id, s.seq, t.id, CONCAT('step ', s.seq), '', JSON_SET(t.settings, '$."curve.all"', -(s.seq %% 20)), 'tried', -1,
			t.created_at, '' FROM trims t, seq_1_to_%d s WHERE t.number = 0`, trims), nil},
		{fmt.Sprintf(`INSERT INTO trials (rig_id, trim_id, number, name, purpose, state, acted_at, result, started_at, created_at, ended_at)
			SELECT t.rig_id, t.id, s.seq, 'proof', 'proof', 'ended', t.created_at, ?, t.created_at, t.created_at, t.created_at
			FROM seq_1_to_%d s JOIN trims t ON t.number = 1 + s.seq %% %d`, trials, trims), []any{result}},
		{`INSERT INTO legs (trial_id, position, load_kind, cores, seconds, state, started_ms, seen_s, result, figures)
			SELECT t.id, s.seq, IF(s.seq = 0, 'heavy', 'mixed'), '[0,1,2,3,4,5,6,7]', 300, 'ended', 1700000000000 + t.id, 300, ?, ? FROM trials t,
			seq_0_to_1 s`, []any{result, figures}},
		{`UPDATE rigs r SET trim_in_force = (SELECT id FROM trims t
			WHERE t.rig_id = r.id AND t.number = 5), records_version = records_version + 1`, nil},
	} {
		if _, err := db.Exec(q.text, q.args...); err != nil {
			b.Fatal(err)
		}
	}
	return db
}

// selects is how many queries the database has answered by now.
func selects(b *testing.B, db *sql.DB) int64 {
	b.Helper()
	var name string
	var n int64
	if err := db.QueryRow(`SHOW GLOBAL STATUS LIKE 'Com_select'`).Scan(&name, &n); err != nil {
		b.Fatal(err)
	}
	return n
}

// median reports the median time of the calls, and the queries that one of them took.
func median(b *testing.B, took []time.Duration, queries float64) {
	slices.Sort(took)
	b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, "ms/median")
	b.ReportMetric(queries, "queries/op")
}

// fetch makes a request and reads the answer, as a page does.
func fetch(b *testing.B, method, address string, body []byte) {
	request, err := http.NewRequest(method, address, bytes.NewReader(body))
	if err != nil {
		b.Fatal(err)
	}
	request.Header.Set("Content-Type", "application/json")
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		b.Fatal(err)
	}
	_, _ = io.Copy(io.Discard, response.Body)
	_ = response.Body.Close()
	if response.StatusCode != 200 {
		b.Fatalf("%s %s: %s", method, address, response.Status)
	}
}

// BenchmarkOverview asks for the list of rigs, of 10 and of 100 with 50 trims and 100 trials each: the queries must not grow
// with their number.
func BenchmarkOverview(b *testing.B) {
	for _, rigs := range []int{10, 100} {
		b.Run(fmt.Sprintf("%d-rigs", rigs), func(b *testing.B) {
			s, dsns := storetest.OpenDSN(b)
			bench := servertest.Pages(b, s)
			db := full(b, bench, dsns[0], "petrel", rigs, 50, 100)
			var took []time.Duration
			before := selects(b, db)
			for b.Loop() {
				begun := time.Now()
				fetch(b, "GET", bench.Address+"/api/rigs", nil)
				took = append(took, time.Since(begun))
			}
			median(b, took, float64(selects(b, db)-before)/float64(len(took)))
		})
	}
}

// BenchmarkCheck asks for preflight and forecast of a changed trim at each keystroke, with a history of 200 trials, over HTTP:
// the same again, and, as the baseline, each time with a history that has changed meanwhile. The machine has 16 cores.
func BenchmarkCheck(b *testing.B) {
	for _, row := range []string{"typing", "baseline-history-anew"} {
		b.Run(row, func(b *testing.B) {
			s, dsns := storetest.OpenDSN(b)
			bench := servertest.Pages(b, s)
			db := full(b, bench, dsns[0], "gannet", 3, 50, 200)
			var took []time.Duration
			i := 0
			ask := func() {
				i++
				body, err := json.Marshal(map[string]any{"parent": 1, "settings": map[string]any{"curve.all": -(i % 25), "limit.ppt": 100 + i%60}})
				if err != nil {
					b.Fatal(err)
				}
				fetch(b, "POST", bench.Address+"/api/rigs/1/check", body)
			}
			ask()
			before := selects(b, db)
			for b.Loop() {
				if row != "typing" {
					if _, err := db.Exec(`UPDATE rigs SET records_version = records_version + 1`); err != nil {
						b.Fatal(err)
					}
				}
				begun := time.Now()
				ask()
				took = append(took, time.Since(begun))
			}
			median(b, took, float64(selects(b, db)-before)/float64(len(took)))
		})
	}
}
