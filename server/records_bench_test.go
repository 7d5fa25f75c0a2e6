package server_test

import (
	"fmt"
	"testing"
	"time"

	"zerokeel/server/servertest"
	"zerokeel/store/storetest"
)

// BenchmarkFleet looks over 300 rigs of one model with 20 trims and 20 trials each: once all is worked out, and, as the baseline, the list
// of rigs alone. The first look, which works out what it can, is told apart.
func BenchmarkFleet(b *testing.B) {
	s, dsns := storetest.OpenDSN(b)
	bench := servertest.Pages(b, s)
	db := full(b, bench, dsns[0], "petrel", 300, 20, 20)
	begun := time.Now()
	fetch(b, "GET", bench.Address+"/api/fleet", nil)
	first, looks := time.Since(begun), 0
	for kept := 0; kept < 300; looks++ {
		fetch(b, "GET", bench.Address+"/api/fleet", nil)
		if err := db.QueryRow(`SELECT COUNT(*) FROM fleet_lines`).Scan(&kept); err != nil {
			b.Fatal(err)
		}
	}
	for _, row := range []struct{ name, path string }{{"fleet", "/api/fleet"}, {"baseline-rigs", "/api/rigs"}} {
		b.Run(row.name, func(b *testing.B) {
			var took []time.Duration
			before := selects(b, db)
			for b.Loop() {
				begun := time.Now()
				fetch(b, "GET", bench.Address+row.path, nil)
				took = append(took, time.Since(begun))
			}
			median(b, took, float64(selects(b, db)-before)/float64(len(took)))
			if row.name == "fleet" {
				b.ReportMetric(float64(first.Milliseconds()), "ms/first")
				b.ReportMetric(float64(looks), "looks-until-known")
			}
		})
	}
}

// BenchmarkHandOver compares two and four trims of a rig with 40 trims and 200 trials, and writes the record of one; the list of its trims
// is the baseline.
func BenchmarkHandOver(b *testing.B) {
	s, dsns := storetest.OpenDSN(b)
	bench := servertest.Pages(b, s)
	db := full(b, bench, dsns[0], "petrel", 1, 40, 200)
	var ids []int64
	rows, err := db.Query(`SELECT id FROM trims ORDER BY number LIMIT 4`)
	if err != nil {
		b.Fatal(err)
	}
	defer func() { _ = rows.Close() }()
	for rows.Next() {
		var id int64
		if err := rows.Scan(&id); err != nil {
			b.Fatal(err)
		}
		ids = append(ids, id)
	}
	for _, row := range []struct{ name, path string }{
		{"two", fmt.Sprintf("/api/comparison?trim=%d,%d", ids[0], ids[1])},
		{"four", fmt.Sprintf("/api/comparison?trim=%d,%d,%d,%d", ids[0], ids[1], ids[2], ids[3])},
		{"record", fmt.Sprintf("/api/trims/%d/record?whole=true", ids[3])},
		{"baseline-trims", "/api/rigs/1/trims"},
	} {
		b.Run(row.name, func(b *testing.B) {
			var took []time.Duration
			before := selects(b, db)
			for b.Loop() {
				begun := time.Now()
				fetch(b, "GET", bench.Address+row.path, nil)
				took = append(took, time.Since(begun))
			}
			median(b, took, float64(selects(b, db)-before)/float64(len(took)))
		})
	}
}
