package server_test

import (
	"encoding/csv"
	"fmt"
	"strings"
	"testing"

	"github.com/prometheus/common/expfmt"
	"github.com/prometheus/common/model"

	"zerokeel/core/channel"
	"zerokeel/core/govern"
	"zerokeel/link"
	"zerokeel/server/servertest"
)

// TestFiguresComeOutAsTheyCameIn: what a rig measured in a leg is written out as CSV, wide and long, gaps as nothing, and its
// newest figures as metrics that a parser of the format reads.
func TestFiguresComeOutAsTheyCameIn(t *testing.T) {
	f := servertest.Start(t).AddFake("Fake, with comma", []channel.Channel{
		{Key: "temperature.package", Quantity: "temperature", Label: "Hottest", Unit: "°C", Core: -1, Quantum: 0.125},
		{Key: "limiter", Quantity: "limiter", Label: "Limiter", Core: -1},
		{Key: "=1+1|x", Quantity: "other", Label: "@x", Unit: "-W", Core: -1},
	})
	x := func(v float64) *float64 { return &v }
	const start = 1_800_000_600_000
	trial := f.Run(3, func(o link.Order) {
		f.Send(link.Frame{Started: &link.Started{Order: o.ID, At: start}},
			link.Frame{Samples: &link.Samples{Order: o.ID, At: []int64{start, start + 1000, start + 2000},
				Channels: []string{"temperature.package", "limiter", "=1+1|x"},
				Values:   [][]*float64{{x(60.125), nil, x(61.5)}, {x(1), x(1), x(2)}, {nil, nil, x(-7)}}}},
			link.Frame{Finished: &link.Finished{Order: o.ID, How: link.Done, RanS: 3}})
	})
	table := func(query string) [][]string {
		status, text := f.Raw("GET", fmt.Sprintf("/api/trials/%d/telemetry.csv%s", trial.Id, query), nil)
		rows, err := csv.NewReader(strings.NewReader(string(text))).ReadAll()
		if status != 200 || err != nil {
			t.Fatalf("%s: %d, %v: %s", query, status, err, text)
		}
		return rows
	}
	wide := table("")
	if got := fmt.Sprint(wide); got != "[[time seconds temperature.package [°C] limiter '=1+1|x [-W]] [2027-01-15T08:10:00.000Z 0.000 60.125 ratio ] [2027-01-15T08:10:01.000Z 1.000  ratio ] [2027-01-15T08:10:02.000Z 2.000 61.5 sustained power -7]]" {
		t.Errorf("wide: %s", got)
	}
	if long := table("?shape=long&keys=temperature.*&fromS=1"); len(long) != 2 ||
		strings.Join(long[1][1:], " ") != "2.000 temperature.package °C 61.5" {
		t.Errorf("long: %v", long)
	}
	if status, _ := f.Raw("GET", fmt.Sprintf("/api/trials/%d/telemetry.csv?fromS=5&toS=1", trial.Id), nil); status != 422 {
		t.Errorf("an end before its start: %d", status)
	}
	f.Until("the metrics hold the newest figures", func() bool {
		status, text := f.Raw("GET", "/metrics", nil)
		// The text format differs from OpenMetrics by its last line alone, for gauges.
		body, ended := strings.CutSuffix(string(text), "# EOF\n")
		if status != 200 || !ended {
			t.Fatalf("%d: %s", status, text)
		}
		parser := expfmt.NewTextParser(model.UTF8Validation)
		families, err := parser.TextToMetricFamilies(strings.NewReader(body))
		if err != nil {
			t.Fatalf("%v: %s", err, text)
		}
		family := families["zerokeel_temperature_celsius"]
		if family == nil || len(family.Metric) != 1 || family.Metric[0].GetGauge().GetValue() != 61.5 {
			return false
		}
		labels := map[string]string{}
		for _, l := range family.Metric[0].Label {
			labels[l.GetName()] = l.GetValue()
		}
		if labels["rig"] != "Fake, with comma" || labels["channel"] != "temperature.package" || labels["simulated"] == "" {
			t.Errorf("labels: %v", labels)
		}
		holding := map[string]float64{}
		for _, m := range families["zerokeel_limiter"].GetMetric() {
			holding[m.Label[len(m.Label)-1].GetValue()] = m.GetGauge().GetValue()
		}
		if len(holding) != len(govern.Limiters) || holding["sustained power"] != 1 || holding["ratio"] != 0 {
			t.Errorf("limiters: %v", holding)
		}
		own := map[string]float64{}
		for _, name := range []string{"database_there", "links", "leases", "frames_total", "answers_total"} {
			for _, m := range families["zerokeel_server_"+name].GetMetric() {
				own[name] += m.GetGauge().GetValue() + m.GetCounter().GetValue() + m.GetUntyped().GetValue()
			}
		}
		if own["database_there"] != 1 || own["links"] != 1 || own["leases"] != 1 || own["frames_total"] < 1 || own["answers_total"] < 3 {
			t.Errorf("of itself the server tells %v", own)
		}
		return true
	})
}
