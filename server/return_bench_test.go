package server_test

import (
	"fmt"
	"net/http"
	"slices"
	"testing"
	"time"

	"zerokeel/core/channel"
	"zerokeel/link"
	"zerokeel/server/servertest"
)

// BenchmarkReturn lets a hundred rigs on trial come back at once after ten minutes without their server, each with a frame of 44
// figures a second, and prints after how many seconds all was in, and how long a page's request takes meanwhile against one when
// nothing comes in: the median, and the slowest but one in a hundred.
func BenchmarkReturn(b *testing.B) {
	const rigs, outage, figures = 100, 600, 44
	var channels []channel.Channel
	for i := range figures {
		channels = append(channels, channel.Channel{Key: fmt.Sprintf("own.%d", i), Quantity: "temperature",
			Unit: "\u00b0C", Label: fmt.Sprint("T", i),
			Quantum: 0.125, Core: -1})
	}
	for b.Loop() {
		bench := servertest.Start(b)
		var all []*servertest.Fake
		var orders []link.Order
		for i := range rigs {
			f := bench.AddFake(fmt.Sprintf("rig %d", i), channels)
			o := f.Order(3600)
			f.Send(link.Frame{Started: &link.Started{Order: o.ID, At: f.Now()}})
			all, orders = append(all, f), append(orders, o)
		}
		ask := func() time.Duration {
			begun := time.Now()
			response, err := http.Get(bench.Address + "/api/rigs")
			if err != nil {
				b.Fatal(err)
			}
			_ = response.Body.Close()
			return time.Since(begun)
		}
		var alone, meanwhile []time.Duration
		for range 50 {
			alone = append(alone, ask())
		}
		bench.Stop()
		for i, f := range all {
			keys := make([]string, figures)
			for k := range keys {
				keys[k] = channels[k].Key
			}
			for s := range outage {
				values := make([][]*float64, figures)
				for k := range values {
					x := 40 + float64((s*7+k*13)%200)/8
					values[k] = []*float64{&x}
				}
				f.Hold(link.Frame{Samples: &link.Samples{Order: orders[i].ID, At: []int64{f.Now() + int64(1000*s)}, Channels: keys, Values: values}})
			}
		}
		bench.Resume()
		begun := time.Now()
		left := rigs * outage
		for left > 0 {
			meanwhile = append(meanwhile, ask())
			left = 0
			for _, f := range all {
				left += f.Holds()
			}
		}
		b.ReportMetric(time.Since(begun).Seconds(), "s_until_all_in")
		slices.Sort(alone)
		slices.Sort(meanwhile)
		b.ReportMetric(float64(meanwhile[len(meanwhile)/2])/float64(alone[len(alone)/2]), "median_of_alone")
		b.ReportMetric(float64(meanwhile[len(meanwhile)*99/100])/float64(alone[len(alone)/2]), "p99_of_alone")
	}
}
