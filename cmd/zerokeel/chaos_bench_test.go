package main

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"maps"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"zerokeel/link/linetest"
	"zerokeel/mariadb"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/store"
	"zerokeel/store/storetest"
)

// BenchmarkChaos lets six rigs of different speeds run one trial, or fitting, after the other, with two server processes on one
// database, and disturbs both as things go wrong in a shop, once for each turn: run it with -benchtime 100x. Every trial must end
// with the verdict of what its machine really did, with every second of its figures once, no healthy board may be cleared, and at
// the end nothing may be left under way.
func BenchmarkChaos(b *testing.B) {
	c := newChaos(b)
	r := rand.New(rand.NewPCG(12, 100))
	counts := map[string]int{}
	names := slices.Sorted(maps.Keys(c.faults()))
	for b.Loop() {
		name := names[r.IntN(len(names))]
		counts[name]++
		after := c.faults()[name](r)
		lasts := time.Duration(200+r.IntN(12_000)) * time.Millisecond
		b.Logf("%s: %s for %s", time.Now().Format("15:04:05"), name, lasts)
		<-time.After(lasts)
		after()
		c.mend()
		<-time.After(time.Duration(r.IntN(2000)) * time.Millisecond)
	}
	c.stopping.Store(true)
	c.playing.Wait()
	for _, p := range c.players {
		for _, err := range p.wrong {
			b.Errorf("%s: %s", p.rig.Config.Name, err)
		}
		b.Logf("%s, %.0f times as fast: %v", p.rig.Config.Name, p.speed, p.ended)
		for what := range p.ended {
			b.ReportMetric(float64(c.total(what)), strings.ReplaceAll(what, " ", "-"))
		}
	}
	if n := c.cleared.Load(); n > 0 {
		b.Errorf("%d boards were cleared, all of them healthy", n)
	}
	b.Logf("disturbed by %v", counts)
}

// chaos is a bench whose parts can be disturbed.
type chaos struct {
	b        *testing.B
	dir      string // of the database
	db       *mariadb.Server
	dsn      string
	toDB     *linetest.Line
	servers  [2]*serverProcess
	toServer *linetest.Line
	bench    *servertest.Bench
	players  []*player
	playing  sync.WaitGroup
	stopping atomic.Bool
	cleared  atomic.Int64
	boards   atomic.Pointer[string] // how boards answer; nil for as they should
	small    bool                   // the database's disk
}

// diskMB is the size of the database's disk, where this process may make one.
const diskMB = 700

func newChaos(b *testing.B) *chaos {
	dir, err := os.MkdirTemp("", "chaos")
	if err != nil {
		b.Fatal(err)
	}
	b.Cleanup(func() { _ = os.RemoveAll(dir) })
	c := &chaos{b: b, dir: dir}
	if err := syscall.Mount("tmpfs", dir, "tmpfs", 0, fmt.Sprintf("size=%dm", diskMB)); err != nil {
		b.Logf("no disk is filled: %v", err)
	} else {
		c.small = true
		b.Cleanup(func() { _ = syscall.Unmount(dir, syscall.MNT_DETACH) })
	}
	c.startDatabase()
	b.Cleanup(func() { _ = c.db.Stop() })
	if err := c.db.Create(b.Context(), "chaos"); err != nil {
		b.Fatal(err)
	}
	c.dsn = c.db.DSN("chaos")
	lined, line := storetest.Lined(b, c.dsn)
	c.toDB = line
	for i := range c.servers {
		c.servers[i] = serve(b, lined)
	}
	address, toServer := balance(b, c.servers[0].address, c.servers[1].address)
	c.toServer = toServer
	c.bench = servertest.At(b, address)
	c.bench.Board = c.board
	for i, speed := range []float64{20, 60, 60, 120, 300, 600} {
		cfg := petrel(b, i+1)
		cfg.Weaker = nil
		p := &player{c: c, speed: speed, r: rand.New(rand.NewPCG(uint64(i), 12)), ended: map[string]int{}}
		p.rig = c.bench.AddRig(cfg, speed)
		p.stock = p.rig.Trims()[0].Id
		p.rig.Fit(p.stock)
		c.players = append(c.players, p)
	}
	for _, p := range c.players {
		c.playing.Go(p.play)
	}
	return c
}

func (c *chaos) startDatabase() {
	var err error
	if c.db, err = mariadb.Start(c.b.Context(), mariadb.Config{Dir: filepath.Join(c.dir, "db")}); err != nil {
		c.b.Fatal(err)
	}
}

// board stands before a board: it may be out of its mind.
func (c *chaos) board(real http.Handler) http.Handler {
	elsewhere := httptest.NewServer(real) // answers as the board does, and is not it
	c.b.Cleanup(elsewhere.Close)
	return http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		if strings.HasSuffix(q.URL.Path, "Bios.ResetBios") {
			c.cleared.Add(1)
		}
		how := c.boards.Load()
		switch {
		case how == nil:
			real.ServeHTTP(w, q)
		case *how == "slow":
			<-time.After(4 * time.Second)
			real.ServeHTTP(w, q)
		case *how == "busy":
			http.Error(w, "try again later", http.StatusServiceUnavailable)
		case *how == "wrong":
			nonsense(w, q, real)
		case *how == "redirects":
			http.Redirect(w, q, elsewhere.URL+q.URL.Path, http.StatusTemporaryRedirect)
		}
	})
}

// nonsense answers as a board's service does that is out of its mind: now and then rightly, now and then as if the machine were off,
// and mostly with what is no answer.
func nonsense(w http.ResponseWriter, q *http.Request, real http.Handler) {
	answers := []string{"", "{}", "[]", "null", "<html><body>Please log in</body></html>", `{"PowerState":"On","Status":{"Sta`,
		`{"Members":[]}`,
		`{"PowerState":"Off","Status":{"State":"Enabled","Health":"Critical"},"BootProgress":{"LastState":"None"}}`}
	k := rand.IntN(len(answers) + 2)
	if k >= len(answers) {
		real.ServeHTTP(w, q)
		return
	}
	_, _ = fmt.Fprint(w, answers[k])
}

// faults are what can go wrong; each returns how it ends.
func (c *chaos) faults() map[string]func(*rand.Rand) func() {
	boards := func(how string) func(*rand.Rand) func() {
		return func(*rand.Rand) func() { c.boards.Store(&how); return func() { c.boards.Store(nil) } }
	}
	out := map[string]func(*rand.Rand) func(){
		"a killed server": func(r *rand.Rand) func() { c.servers[r.IntN(2)].kill(); return func() {} },
		"a stopped server": func(r *rand.Rand) func() {
			pid := c.servers[r.IntN(2)].cmd.Process.Pid
			_ = syscall.Kill(pid, syscall.SIGSTOP)
			return func() { _ = syscall.Kill(pid, syscall.SIGCONT) }
		},
		"both servers killed": func(*rand.Rand) func() { c.servers[0].kill(); c.servers[1].kill(); return func() {} },
		"a killed database": func(*rand.Rand) func() {
			_ = syscall.Kill(c.db.PID(), syscall.SIGKILL)
			<-c.db.Done()
			return func() {}
		},
		"a stopped database": func(*rand.Rand) func() {
			_ = syscall.Kill(c.db.PID(), syscall.SIGSTOP)
			return func() { _ = syscall.Kill(c.db.PID(), syscall.SIGCONT) }
		},
		"a hanging line to the database": func(*rand.Rand) func() { c.toDB.Hang(); return c.toDB.Go },
		"a slow line to the database": func(r *rand.Rand) func() {
			c.toDB.Slow(time.Duration(10+r.IntN(100)) * time.Millisecond)
			return func() { c.toDB.Slow(0) }
		},
		"a cut line to the database":    func(*rand.Rand) func() { c.toDB.Cut(); return c.toDB.Cut },
		"a hanging line to the servers": func(*rand.Rand) func() { c.toServer.Hang(); return c.toServer.Go },
		"a slow line to the servers": func(r *rand.Rand) func() {
			c.toServer.Slow(time.Duration(10+r.IntN(400)) * time.Millisecond)
			return func() { c.toServer.Slow(0) }
		},
		"a cut line to the servers":  func(*rand.Rand) func() { c.toServer.Cut(); return c.toServer.Cut },
		"clocks set":                 func(r *rand.Rand) func() { c.setClocks(r); return func() { c.setClocks(r) } },
		"slow boards":                boards("slow"),
		"busy boards":                boards("busy"),
		"wrong boards":               boards("wrong"),
		"boards that send elsewhere": boards("redirects"),
	}
	if c.small {
		out["a full disk"] = func(*rand.Rand) func() {
			filler := filepath.Join(c.dir, "filler")
			part := make([]byte, 1<<20)
			f, err := os.Create(filler)
			for err == nil {
				_, err = f.Write(part)
			}
			_ = f.Close()
			return func() { _ = os.Remove(filler) }
		}
	}
	return out
}

// setClocks does what it does to what is stored when the clock of the servers' machine is set.
func (c *chaos) setClocks(r *rand.Rand) {
	by := []time.Duration{-24 * time.Hour, -10 * time.Minute, 10 * time.Minute, 24 * time.Hour}[r.IntN(4)]
	db, err := sql.Open("mysql", c.dsn)
	if err != nil {
		c.b.Fatal(err)
	}
	defer func() { _ = db.Close() }()
	for _, of := range []string{"legs SET ordered_at = ordered_at - INTERVAL ? SECOND WHERE state <> 'ended'",
		"trials SET acted_at = acted_at - INTERVAL ? SECOND WHERE ended_at IS NULL",
		"fittings SET acted_at = acted_at - INTERVAL ? SECOND WHERE ended_at IS NULL"} {
		if _, err := db.ExecContext(context.Background(), "UPDATE "+of, int(by.Seconds())); err != nil {
			c.b.Logf("set the clock: %v", err)
		}
	}
}

// mend brings back what a fault has ended.
func (c *chaos) mend() {
	select {
	case <-c.db.Done():
		c.startDatabase()
	default:
	}
	for i, s := range c.servers {
		if syscall.Kill(s.cmd.Process.Pid, 0) == nil && s.cmd.ProcessState == nil {
			continue
		}
		lined := s.cmd.Args[slices.Index(s.cmd.Args, "--dsn")+1]
		c.servers[i] = serveAt(c.b, s.address, lined)
	}
}

func (c *chaos) total(what string) int {
	n := 0
	for _, p := range c.players {
		n += p.ended[what]
	}
	return n
}

// player runs one thing after the other on a rig, and knows how each must end.
type player struct {
	c     *chaos
	rig   *servertest.Rig
	speed float64
	stock int64 // its trim
	r     *rand.Rand
	ended map[string]int
	wrong []string
}

func (p *player) failed(format string, args ...any) {
	p.wrong = append(p.wrong, time.Now().Format("15:04:05 ")+fmt.Sprintf(format, args...))
}

func (p *player) play() {
	for !p.c.stopping.Load() {
		switch what := []string{"held", "held", "miscalculated", "froze", "restarted", "fitted"}[p.r.IntN(6)]; what {
		case "fitted":
			p.fit()
		default:
			p.try(what)
		}
	}
}

// eventually repeats a request until it is answered well. One whose server died while it answered has perhaps been done: it is made
// anew then, once the rig is free.
func (p *player) eventually(method, path string, in, out any) bool {
	key := ""
	return p.until(func() error {
		if key == "" {
			key = fmt.Sprintf("%s-%d", strings.ReplaceAll(p.rig.Config.Name, " ", "-"), p.r.Uint64())
		}
		err := p.c.bench.With("Idempotency-Key", key).Try(method, path, in, out)
		if err != nil && strings.HasPrefix(err.Error(), "409") {
			key = ""
		}
		return err
	})
}

// until waits until something does well.
func (p *player) until(fn func() error) bool {
	end := time.Now().Add(8 * time.Minute)
	var err error
	for time.Now().Before(end) {
		if err = fn(); err == nil {
			return true
		}
		<-time.After(50 * time.Millisecond)
	}
	p.failed("waited in vain: %v", err)
	p.c.stopping.Store(true)
	return false
}

func (p *player) try(what string) {
	seconds := (4 + 8*p.r.Float64()) * p.speed
	leg := servertest.Leg("mixed", float64(int(seconds)))
	core, at := -1, seconds*(0.1+0.6*p.r.Float64())
	if what == "miscalculated" {
		core = p.r.IntN(p.rig.Config.Parts.Processor.Cores())
		leg.Inject = &api.Inject{Core: core, AfterS: at}
	}
	var t api.Trial
	if !p.eventually("POST", fmt.Sprintf("/api/rigs/%d/trials", p.rig.ID), api.StartTrialRequest{Legs: []api.LegRequest{leg}}, &t) {
		return
	}
	path, faulted := fmt.Sprintf("/api/trials/%d", t.Id), false
	if !p.until(func() error {
		if err := p.c.bench.Try("GET", path, nil, &t); err != nil {
			return err
		}
		if (what == "froze" || what == "restarted") && !faulted && t.DoneS >= at {
			faulted = p.rig.Standin.FaultAtWork(what == "restarted")
		}
		if !t.Ended {
			return fmt.Errorf("trial %d, to end %s, is %s after %.0f of %.0f s", t.Id, what, t.State, t.DoneS, seconds)
		}
		return nil
	}) {
		return
	}
	p.ended[what]++
	if t.Verdict != what && !(what != "miscalculated" && t.Verdict == "held" && !faulted) || t.Core != core {
		p.failed("trial %d ended %s on core %d, not %s on core %d: %s", t.Id, t.Verdict, t.Core, what, core, t.Why)
	}
	p.checkFigures(&t)
}

// checkFigures looks whether every second of a trial is held once.
func (p *player) checkFigures(t *api.Trial) {
	p.until(func() error {
		db, err := store.Open(context.Background(), p.c.dsn)
		if err != nil {
			return err
		}
		defer func() { _ = db.Close() }()
		samples, err := db.Telemetry(context.Background(), t.Legs[0].Id, store.Span{Keys: []string{"power.package"}})
		if err != nil {
			return err
		}
		if err := servertest.EverySecond(samples["power.package"], int(t.Legs[0].RanS)); err != nil {
			p.failed("trial %d: %v", t.Id, err)
		}
		return nil
	})
}

func (p *player) fit() {
	var f api.Fitting
	if !p.eventually("POST", fmt.Sprintf("/api/rigs/%d/fittings", p.rig.ID), api.FitRequest{Trim: p.stock}, &f) {
		return
	}
	if !p.until(func() error {
		if err := p.c.bench.Try("GET", fmt.Sprintf("/api/fittings/%d", f.Id), nil, &f); err != nil {
			return err
		}
		if !f.Ended {
			return fmt.Errorf("fitting %d is %s", f.Id, f.State)
		}
		return nil
	}) {
		return
	}
	// A board that answers with nonsense ends a fitting before anything was handed to it.
	if before := f.State == "failed" && f.Steps[0].State == "failed" && f.Problem != ""; f.State != "in force" && !before {
		text, _ := json.Marshal(f)
		p.failed("a fitting ended %s: %s", f.State, text)
	}
	p.ended["fitting "+string(f.State)]++
}
