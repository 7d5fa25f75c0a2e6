package main

import (
	"context"
	"fmt"
	"log/slog"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/go-rod/rod"

	"zerokeel/browser"
	"zerokeel/core/channel"
	"zerokeel/link"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/store/storetest"
)

// sender is a rig that sends the figures of eight cores once a second, and knows when it sent which frame.
type sender struct {
	id     int64
	client *link.Client
	mu     sync.Mutex
	sent   map[uint64]time.Time
	seq    uint64
}

func (s *sender) send(keys []string) {
	now := time.Now()
	f := link.Samples{At: []int64{now.UnixMilli()}, Channels: keys}
	for i := range keys {
		v := 40 + math.Round(200*math.Abs(math.Sin(float64(i)+float64(now.UnixMilli())/7e3)))/8
		f.Values = append(f.Values, []*float64{&v})
	}
	s.mu.Lock()
	s.seq++
	s.sent[s.seq] = now
	s.mu.Unlock()
	s.client.Send(link.Frame{Samples: &f})
}

// cpuSeconds is the processor time that a process took so far.
func cpuSeconds(b *testing.B, pid int) float64 {
	b.Helper()
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		b.Fatal(err)
	}
	_, rest, _ := strings.Cut(string(text), ") ")
	fields := strings.Fields(rest)
	user, _ := strconv.ParseFloat(fields[11], 64)
	system, _ := strconv.ParseFloat(fields[12], 64)
	return (user + system) / 100 // in the ticks of every Linux
}

// database is the process of the database that this test started.
func database(b *testing.B) int {
	b.Helper()
	all, _ := filepath.Glob("/proc/[0-9]*/stat")
	for _, name := range all {
		text, err := os.ReadFile(name)
		if err == nil && strings.Contains(string(text), fmt.Sprintf("(mariadbd) S %d ", os.Getpid())) {
			pid, _ := strconv.Atoi(filepath.Base(filepath.Dir(name)))
			return pid
		}
	}
	b.Fatal("the database's process is not found")
	return 0
}

// watchScript notes when the page shows which frame of its rig.
const watchScript = `() => {
	window.seen = [];
	const note = () => {
		const seq = document.querySelector('[data-vitals]')?.dataset.vitals;
		if (seq && window.seen.at(-1)?.[0] !== +seq) window.seen.push([+seq, performance.timeOrigin + performance.now()]);
	};
	new MutationObserver(note).observe(document.body, { subtree: true, childList: true, characterData: true, attributes: true });
}`

// BenchmarkLive links a hundred rigs that send once a second to a server process, and opens five pages. It tells the
// processor time of server and database, in cores, and how long after its sending a frame's figures stood on a page.
func BenchmarkLive(b *testing.B) {
	const rigs, pages, lasts = 100, 5, 30 * time.Second
	_, dsns := storetest.OpenDSN(b)
	process := serve(b, dsns...)
	bench := servertest.At(b, "http://"+process.address)
	list := []channel.Channel{channel.Of(channel.Temperature, 0.125), channel.Of(channel.PackagePower, 0.125),
		channel.Of(channel.DeliveredVoltage, 0.001), channel.Of(channel.MeanLoad, 0.1), channel.Of(channel.Coolant, 0.1)}
	for core := range 8 {
		for _, pattern := range []string{channel.RequestedClock, channel.EffectiveClock, channel.CoreTemperature, channel.CoreLoad} {
			list = append(list, channel.OfCore(pattern, core, 0.125))
		}
	}
	keys := make([]string, len(list))
	for i, c := range list {
		keys[i] = c.Key
	}
	ctx, cancel := context.WithCancel(context.Background())
	var linked sync.WaitGroup
	defer func() { cancel(); linked.Wait() }()
	senders := make([]*sender, rigs)
	for i := range senders {
		var made api.CreatedRig
		bench.Call("POST", "/api/rigs", api.CreateRigRequest{Name: fmt.Sprintf("Rig %d", i+1)}, 201, &made)
		s := &sender{id: made.Rig.Id, sent: map[uint64]time.Time{}}
		s.client = link.NewClient(link.Server{Address: bench.Address, Token: made.Token}, func() link.Hello {
			return link.Hello{Protocol: link.Version, Agent: "bench", Stream: "one", BootID: "one", Now: time.Now().UnixMilli(), ClockRate: 1,
				Simulated: true, Facts: link.Facts{Host: "bench", Cores: 8, Threads: 16, MemoryMB: 32000}, Channels: list}
		}, func(link.Order) {}, slog.New(slog.DiscardHandler))
		senders[i] = s
		linked.Go(func() { _ = s.client.Run(ctx) })
		linked.Go(func() {
			every := time.NewTicker(time.Second)
			defer every.Stop()
			for {
				s.send(keys)
				select {
				case <-ctx.Done():
					return
				case <-every.C:
				}
			}
		})
	}
	chromium, err := browser.Start()
	if err != nil {
		b.Fatal(err)
	}
	defer chromium.Close()
	views := make([]*rod.Page, pages)
	for i := range views {
		if views[i], err = chromium.Page(fmt.Sprintf("%s/rig/%d/rig", bench.Address, senders[i*rigs/pages].id)); err != nil {
			b.Fatal(err)
		}
		views[i] = views[i].Timeout(2 * time.Minute)
		if _, err := views[i].Element(`[data-vitals]:not([data-vitals=""])`); err != nil {
			b.Fatal(err)
		}
	}
	var late []float64
	var took, server, db float64
	for b.Loop() {
		for _, v := range views {
			v.MustEval(watchScript)
		}
		began, serverAt, dbAt := time.Now(), cpuSeconds(b, process.cmd.Process.Pid), cpuSeconds(b, database(b))
		<-time.After(lasts)
		took += time.Since(began).Seconds()
		server += cpuSeconds(b, process.cmd.Process.Pid) - serverAt
		db += cpuSeconds(b, database(b)) - dbAt
		for i, v := range views {
			var seen [][2]float64
			if err := v.MustEval(`() => window.seen`).Unmarshal(&seen); err != nil {
				b.Fatal(err)
			}
			s := senders[i*rigs/pages]
			s.mu.Lock()
			for _, one := range seen[1:] { // the first may have been shown already
				late = append(late, one[1]/1000-float64(s.sent[uint64(one[0])].UnixMicro())/1e6)
			}
			s.mu.Unlock()
		}
	}
	slices.Sort(late)
	b.ReportMetric(0, "ns/op")
	b.ReportMetric(server/took, "server-cores")
	b.ReportMetric(db/took, "database-cores")
	b.ReportMetric(late[len(late)/2], "s-shown-median")
	b.ReportMetric(late[len(late)-1], "s-shown-latest")
	b.ReportMetric(float64(len(late)), "frames-shown")
}
