package server_test

import (
	"archive/zip"
	"bufio"
	"bytes"
	"compress/flate"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"zerokeel/archive"
	"zerokeel/core/channel"
	"zerokeel/core/series"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/store/storetest"
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
