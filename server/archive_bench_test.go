package server_test

import (
	"archive/zip"
	"bufio"
	"bytes"
	"compress/flate"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"zerokeel/archive"
	"zerokeel/browser"
	"zerokeel/core/channel"
	"zerokeel/core/series"
	"zerokeel/server"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/store/storetest"

	"github.com/go-rod/rod/lib/input"
)

// dayOf200 is an archive of a rig with a day of 200 channels, a reading a second, and how many bytes its samples are as they stand in it.
func dayOf200(b *testing.B, of []byte) (text []byte, samples int) {
	b.Helper()
	const channels, seconds = 200, 86400
	keys, lists := make([]string, channels), channel.Samples{}
	r := rand.New(rand.NewPCG(1, 2))
	for i := range keys {
		keys[i] = fmt.Sprintf("temperature.probe.%03d", i)
		v := 40.0
		for s := range int64(seconds) {
			v += 0.125 * float64(r.IntN(3)-1)
			lists[keys[i]] = append(lists[keys[i]], series.Sample{T: 1_700_000_000_000 + 1000*s, V: v})
		}
	}
	var body bytes.Buffer
	out := bufio.NewWriter(&body)
	moments, err := archive.WriteSamples(out, true, keys, lists)
	if err != nil || out.Flush() != nil {
		b.Fatal(err)
	}
	text = rewritten(b, of, func(name string, was []byte) []byte {
		switch {
		case strings.HasSuffix(name, "leg-1.csv"):
			return body.Bytes()
		case name == archive.Manifest:
			var c archive.Contents
			if err := json.Unmarshal(was, &c); err != nil {
				b.Fatal(err)
			}
			c.Rigs[0].Legs[0].Moments, c.Rigs[0].Channels = moments, keys
			was, _ = json.Marshal(c)
		}
		return was
	})
	return text, body.Len()
}

// BenchmarkArchive takes in an archive of a rig with a day of 200 channels, and makes it again; deflating the same bytes alone is the
// baseline. Rates are of samples as they stand in the archive, in MB/s.
func BenchmarkArchive(b *testing.B) {
	bench := servertest.Start(b)
	rig := bench.AddRig(petrel(b, nil), 600)
	rig.Fit(rig.Trims()[0].Id)
	rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("heavy", 20)}}).Id)
	text, size := dayOf200(b, fetched(b, bench, ""))
	mb := float64(size) / 1e6
	for b.Loop() {
		there := servertest.On(b, storetest.Open(b))
		begun := time.Now()
		status, words, _ := taken(b, there, "", text)
		if status != 201 {
			b.Fatalf("%d: %s", status, words)
		}
		b.ReportMetric(mb/time.Since(begun).Seconds(), "MB/s-in")
		begun = time.Now()
		again := fetched(b, there, "")
		b.ReportMetric(mb/time.Since(begun).Seconds(), "MB/s-out")
		if a, c := file(b, opened(b, text), "rig-1/samples/leg-1.csv"), file(b, opened(b, again), "rig-1/samples/leg-1.csv"); !bytes.Equal(a, c) {
			b.Fatal("the samples are not the same")
		}
		body := file(b, opened(b, text), "rig-1/samples/leg-1.csv")
		begun = time.Now()
		z := zip.NewWriter(io.Discard)
		z.RegisterCompressor(zip.Deflate, func(w io.Writer) (io.WriteCloser, error) { return flate.NewWriter(w, flate.BestSpeed) })
		if to, err := z.Create("samples"); err != nil {
			b.Fatal(err)
		} else if _, err := to.Write(body); err != nil {
			b.Fatal(err)
		}
		b.ReportMetric(mb/time.Since(begun).Seconds(), "MB/s-baseline-deflate")
		b.ReportMetric(mb, "MB")
	}
}

// fourDays is an archive of a rig with four trims, under each of which a heavy leg ran for a day and told 200 channels.
func fourDays(b *testing.B, bench *servertest.Bench) (text []byte, names []string) {
	b.Helper()
	rig := bench.AddRig(petrel(b, nil), 600)
	stock := rig.Trims()[0].Id
	for i, watts := range []int{0, 142, 120, 90} {
		id := stock
		if i > 0 {
			var t api.Trim
			rig.Call("POST", fmt.Sprintf("/api/rigs/%d/trims", rig.ID), map[string]any{"parent": stock, "name": fmt.Sprint("limit ", watts),
				"settings": map[string]any{"limit.ppt": watts}}, 201, &t)
			id = t.Id
		}
		rig.Fit(id)
		rig.Ended(rig.Start(api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("heavy", 400)}}).Id)
	}
	of := fetched(b, bench, "")
	a := opened(b, of)
	known := a.Rigs[0].Channels
	bodies := map[string][]byte{}
	moments := 0
	for n := 1; n <= 4; n++ {
		name := archive.SamplesOf("rig-1", int64(n))
		bodies[name], moments = stretched(b, file(b, a, name), known)
	}
	text = rewritten(b, of, func(name string, was []byte) []byte {
		switch {
		case bodies[name] != nil:
			return bodies[name]
		case strings.HasSuffix(name, "/legs.jsonl"):
			var out bytes.Buffer
			for line := range bytes.Lines(was) {
				var leg map[string]any
				if err := json.Unmarshal(line, &leg); err != nil {
					b.Fatal(err)
				}
				leg["seen_s"], leg["seconds"] = day, day
				leg["finished"].(map[string]any)["ranS"] = day
				text, _ := json.Marshal(leg)
				out.Write(append(text, '\n'))
			}
			return out.Bytes()
		case name == archive.Manifest:
			var c archive.Contents
			if err := json.Unmarshal(was, &c); err != nil {
				b.Fatal(err)
			}
			for i := range c.Rigs[0].Legs {
				c.Rigs[0].Legs[i].Moments = moments
			}
			c.Rigs[0].Channels = append(c.Rigs[0].Channels, probes(200-len(known))...)
			was, _ = json.Marshal(c)
		}
		return was
	})
	return text, known
}

const day = 86400

// probes are names of further channels.
func probes(n int) []string {
	out := make([]string, n)
	for i := range out {
		out[i] = fmt.Sprintf("temperature.probe.%03d", i)
	}
	return out
}

// stretched makes a day of a leg's samples, by repeating them, with so many probes that there are 200 channels.
func stretched(b *testing.B, was []byte, known []string) (text []byte, moments int) {
	b.Helper()
	lines := bytes.Split(bytes.TrimSuffix(was, []byte("\n")), []byte("\n"))
	var out bytes.Buffer
	out.Write(lines[0])
	more := probes(200 - len(known))
	for _, key := range more {
		out.WriteString("," + key)
	}
	out.WriteByte('\n')
	at, _, _ := strings.Cut(string(lines[1]), ",")
	begun, err := strconv.ParseInt(at, 10, 64)
	if err != nil {
		b.Fatal(err)
	}
	r := rand.New(rand.NewPCG(3, 4))
	for s := range int64(day) {
		_, cells, _ := strings.Cut(string(lines[1+int(s)%(len(lines)-1)]), ",")
		fmt.Fprintf(&out, "%d,%s", begun+1000*s, cells)
		for range more {
			fmt.Fprintf(&out, ",%g", 40+0.125*float64(r.IntN(80)))
		}
		out.WriteByte('\n')
	}
	return out.Bytes(), day
}

// BenchmarkDays compares four trims, under each of which a day of 200 channels was recorded, and reads what overlaying them takes; the list
// of the rig's trims is the baseline. In a browser it is measured until their table stands, from an empty tab, and then until their
// runs are drawn over one another.
func BenchmarkDays(b *testing.B) {
	text, _ := fourDays(b, servertest.Start(b))
	there := servertest.Pages(b, storetest.Open(b))
	status, words, list := taken(b, there, "", text)
	if status != 201 {
		b.Fatalf("%d: %s", status, words)
	}
	rig := list[0].Rig
	var trims []api.Trim
	there.Call("GET", fmt.Sprintf("/api/rigs/%d/trims", rig), nil, 200, &trims)
	var trials []api.Trial
	there.Call("GET", fmt.Sprintf("/api/rigs/%d/trials", rig), nil, 200, &trials)
	compare := "/api/comparison?trim="
	for i, t := range trims {
		compare += fmt.Sprintf("%s%d", map[bool]string{true: ","}[i > 0], t.Id)
	}
	keys := "power.package,power.wall,temperature.above,clock.effective.mean,voltage.core.delivered,speed.fan.1"
	var overlay []string
	for _, t := range trials {
		overlay = append(overlay, fmt.Sprintf("/api/trials/%d/telemetry?buckets=360&meansOnly=true&keys=%s", t.Id, keys))
	}
	for _, row := range []struct {
		name  string
		paths []string
	}{{"comparison", []string{compare}}, {"overlay", overlay}, {"baseline-trims", []string{fmt.Sprintf("/api/rigs/%d/trims", rig)}}} {
		b.Run(row.name, func(b *testing.B) {
			var took []time.Duration
			for b.Loop() {
				begun := time.Now()
				for _, path := range row.paths {
					fetch(b, "GET", there.Address+path, nil)
				}
				took = append(took, time.Since(begun))
			}
			slices.Sort(took)
			b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, "ms/median")
			b.ReportMetric(float64(took[len(took)-1].Microseconds())/1000, "ms/longest")
		})
	}
	b.Run("browser", func(b *testing.B) {
		front := httptest.NewServer(fronted(b, there))
		b.Cleanup(func() { front.CloseClientConnections(); front.Close() })
		open, err := browser.Start()
		if err != nil {
			b.Fatal(err)
		}
		b.Cleanup(open.Close)
		p, err := open.Page(front.URL)
		if err != nil {
			b.Fatal(err)
		}
		p = p.Timeout(browser.Timeout)
		seen := func(selector string) time.Duration {
			begun := time.Now()
			if _, err := p.Element(selector); err != nil {
				b.Fatal(err)
			}
			return time.Since(begun)
		}
		var table, drawn []time.Duration
		for b.Loop() {
			begun := time.Now()
			if err := p.Navigate(fmt.Sprintf("%s/rig/%d/compare/%d/%d,%d,%d", front.URL, rig,
				trims[0].Id, trims[1].Id, trims[2].Id, trims[3].Id)); err != nil {
				b.Fatal(err)
			}
			seen("[data-side-by-side='4']")
			table = append(table, time.Since(begun))
			if err := p.Keyboard.Type(input.KeyV); err != nil {
				b.Fatal(err)
			}
			drawn = append(drawn, seen("[data-overlaid='4'] canvas"))
		}
		slices.Sort(table)
		slices.Sort(drawn)
		b.ReportMetric(float64(table[len(table)/2].Milliseconds()), "ms-to-table")
		b.ReportMetric(float64(drawn[len(drawn)/2].Milliseconds()), "ms-to-runs")
	})
}

// fronted serves a bench with its pages.
func fronted(b *testing.B, bench *servertest.Bench) http.Handler {
	b.Helper()
	_, handler, err := server.New(server.Config{Shop: bench.Shop, Log: slog.New(slog.DiscardHandler), Front: os.DirFS("../web/dist")})
	if err != nil {
		b.Fatal(err)
	}
	return handler
}
