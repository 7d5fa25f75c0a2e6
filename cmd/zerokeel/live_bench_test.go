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
	"github.com/jmoiron/sqlx"

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
	order  string // of the leg under way
	begun  time.Time
}

// take begins a leg.
func (s *sender) take(o link.Order) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.order == o.ID {
		return
	}
	s.order, s.begun = o.ID, time.Now()
	s.seq++
	s.client.Send(link.Frame{Started: &link.Started{Order: o.ID, At: s.begun.UnixMilli()}})
}

// send sends the figures of this second, and on trial what each core has done.
func (s *sender) send(keys []string) {
	now := time.Now()
	f := link.Samples{At: []int64{now.UnixMilli()}, Channels: keys}
	for i := range keys {
		v := 40 + math.Round(200*math.Abs(math.Sin(float64(i)+float64(now.UnixMilli())/7e3)))/8
		f.Values = append(f.Values, []*float64{&v})
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.seq++
	s.sent[s.seq] = now
	frame := link.Frame{Samples: &f}
	if f.Order = s.order; s.order != "" {
		ran := now.Sub(s.begun).Seconds()
		frame.Progress = []link.Progress{{Order: s.order, AtS: ran, Count: slices.Repeat([]float64{math.Floor(1e6 * ran)}, benchCores)}}
	}
	s.client.Send(frame)
}

// benchCores is how many cores each rig has.
const benchCores = 8

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

// counted returns one of the database's own counts.
func counted(b *testing.B, db *sqlx.DB, name string) int64 {
	b.Helper()
	var row struct {
		Name  string `db:"Variable_name"`
		Value int64  `db:"Value"`
	}
	if err := db.Get(&row, `SHOW GLOBAL STATUS LIKE '`+name+`'`); err != nil {
		b.Fatal(err)
	}
	return row.Value
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

// BenchmarkLive links a hundred rigs that send 44 figures once a second to a server process, idle and on trial, and opens five
// pages. It tells the processor time of server and database, in cores, how often a second something was committed and how often
// the log of the database was written to the disk, and how long after its sending a frame's figures stood on a page.
func BenchmarkLive(b *testing.B) {
	b.Run("idle", func(b *testing.B) { liveRigs(b, false) })
	b.Run("on-trial", func(b *testing.B) { liveRigs(b, true) })
}

func liveRigs(b *testing.B, trial bool) {
	const rigs, pages, lasts = 100, 5, 30 * time.Second
	_, dsns := storetest.OpenDSN(b)
	db, err := sqlx.Connect("mysql", dsns[0])
	if err != nil {
		b.Fatal(err)
	}
	defer func() { _ = db.Close() }()
	process := serve(b, dsns...)
	bench := servertest.At(b, "http://"+process.address)
	list := []channel.Channel{channel.Of(channel.Temperature, 0.125), channel.Of(channel.PackagePower, 0.125),
		channel.Of(channel.DeliveredVoltage, 0.001), channel.Of(channel.MeanLoad, 0.1), channel.Of(channel.Coolant, 0.1)}
	for i := range 7 {
		list = append(list, channel.Channel{Key: fmt.Sprintf("own.%d", i), Quantity: "temperature", Unit: "°C", Label: fmt.Sprint("T", i),
			Quantum: 0.125, Core: -1})
	}
	for core := range benchCores {
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
				Simulated: true, Facts: link.Facts{Host: "bench", Cores: benchCores, Threads: 16, MemoryMB: 32000}, Channels: list}
		}, s.take, slog.New(slog.DiscardHandler))
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
	if trial {
		day := api.StartTrialRequest{Legs: []api.LegRequest{servertest.Leg("heavy", 86400)}}
		for _, s := range senders {
			bench.Call("POST", fmt.Sprintf("/api/rigs/%d/trials", s.id), day, 201, nil)
		}
		bench.Until("every rig is on trial", func() bool {
			return !slices.ContainsFunc(senders, func(s *sender) bool { s.mu.Lock(); defer s.mu.Unlock(); return s.order == "" })
		})
	}
	var late []float64
	var took, serverTook, databaseTook float64
	var commits, writes int64
	for b.Loop() {
		for _, v := range views {
			v.MustEval(watchScript)
		}
		began, serverAt, databaseAt := time.Now(), cpuSeconds(b, process.cmd.Process.Pid), cpuSeconds(b, database(b))
		commitsAt, writesAt := counted(b, db, "Handler_commit"), counted(b, db, "Innodb_data_fsyncs")
		<-time.After(lasts)
		took += time.Since(began).Seconds()
		serverTook += cpuSeconds(b, process.cmd.Process.Pid) - serverAt
		databaseTook += cpuSeconds(b, database(b)) - databaseAt
		commits += counted(b, db, "Handler_commit") - commitsAt
		writes += counted(b, db, "Innodb_data_fsyncs") - writesAt
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
	b.ReportMetric(serverTook/took, "server-cores")
	b.ReportMetric(databaseTook/took, "database-cores")
	b.ReportMetric(float64(commits)/took, "commits/s")
	b.ReportMetric(float64(writes)/took, "log-writes/s")
	b.ReportMetric(late[len(late)/2], "s-shown-median")
	b.ReportMetric(late[len(late)-1], "s-shown-latest")
	b.ReportMetric(float64(len(late)), "frames-shown")
}
