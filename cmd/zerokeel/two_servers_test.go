package main

import (
	"bufio"
	"fmt"
	"net"
	"os"
	"os/exec"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"

	"zerokeel/demo/rigs"
	"zerokeel/link"
	"zerokeel/link/linetest"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/standin"
	"zerokeel/store/storetest"
)

// serverProcess is a server in a process of its own.
type serverProcess struct {
	cmd     *exec.Cmd
	address string // host and port
}

// serve starts a server process on a database, and returns once it answers.
func serve(t testing.TB, dsns ...string) *serverProcess {
	t.Helper()
	return serveAt(t, "127.0.0.1:0", dsns...)
}

// serveAt is serve, at an address.
func serveAt(t testing.TB, address string, dsns ...string) *serverProcess {
	t.Helper()
	args := []string{"serve", "--listen", address}
	for _, dsn := range dsns {
		args = append(args, "--dsn", dsn)
	}
	cmd := exec.Command(os.Args[0], args...)
	cmd.Env = append(os.Environ(), asProgram+"=1")
	cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
	cmd.Stderr = os.Stderr
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	p := &serverProcess{cmd: cmd}
	t.Cleanup(p.kill)
	line, err := bufio.NewReader(out).ReadString('\n')
	var ok bool
	if p.address, ok = strings.CutPrefix(strings.TrimSpace(line), "serving on http://"); err != nil || !ok {
		t.Fatalf("the server says %q, %v", line, err)
	}
	return p
}

func (p *serverProcess) kill() {
	_ = p.cmd.Process.Kill()
	_, _ = p.cmd.Process.Wait()
}

// balance forwards connections to the servers in turn, and to one that answers where one does not, as a proxy before
// several servers does.
func balance(t testing.TB, addresses ...string) (string, *linetest.Line) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	var turn atomic.Int64
	return "http://" + l.Addr().String(), linetest.Open(t, l, func() (out net.Conn, err error) {
		first := int(turn.Add(1))
		for i := range addresses {
			if out, err = net.Dial("tcp", addresses[(first+i)%len(addresses)]); err == nil {
				break
			}
		}
		return out, err
	})
}

// petrel is a stand-in of the demo's, numbered.
func petrel(t testing.TB, number int) *standin.Config {
	t.Helper()
	text, err := rigs.Standin("petrel")
	if err != nil {
		t.Fatal(err)
	}
	cfg, err := standin.ParseConfig(text)
	if err != nil {
		t.Fatal(err)
	}
	cfg.Name = fmt.Sprintf("Rig %d", number)
	return cfg
}

// orders gathers the orders to run that rigs were given.
type orders struct {
	mu   sync.Mutex
	runs map[string]map[string]link.Order // by rig and id
}

func (o *orders) take(rig string, one link.Order) {
	if one.Do != link.Run {
		return
	}
	o.mu.Lock()
	defer o.mu.Unlock()
	if o.runs[rig] == nil {
		o.runs[rig] = map[string]link.Order{}
	}
	o.runs[rig][one.ID] = one // a repetition has the same id
}

func (o *orders) of(rig string) int {
	o.mu.Lock()
	defer o.mu.Unlock()
	return len(o.runs[rig])
}

// page follows a server's events as a page does, and counts what it is told by rig and topic.
type page struct {
	mu   sync.Mutex
	seen map[string]int
}

func open(t *testing.T, address string) *page {
	t.Helper()
	p, news := &page{seen: map[string]int{}}, servertest.Listen(t, address)
	go func() {
		for m := range news {
			p.mu.Lock()
			p.seen[fmt.Sprint(m.Topic, m.Rig)]++
			if beat, ok := m.Data.(map[string]any); ok {
				list, _ := beat["rigs"].([]any)
				for _, one := range list {
					rig, _ := one.(map[string]any)
					p.seen[fmt.Sprint(m.Topic, rig["rig"])]++
				}
			}
			p.mu.Unlock()
		}
	}()
	return p
}

func (p *page) told(topic string, rig int64) int {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.seen[fmt.Sprint(topic, rig)]
}

// TestTwoServers: two server processes share a database and eight stand-ins, on which trials and a fitting run. One process
// is killed. Its rigs link to the other, everything goes on and ends as it should, no order is given twice, and a page on
// the process that is left goes on.
func TestTwoServers(t *testing.T) {
	_, dsns := storetest.OpenDSN(t)
	first, second := serve(t, dsns...), serve(t, slices.Concat(dsns[1:], dsns[:1])...) // of a cluster, each on another node
	a, b := servertest.At(t, "http://"+first.address), servertest.At(t, "http://"+second.address)
	given := &orders{runs: map[string]map[string]link.Order{}}
	address, _ := balance(t, first.address, second.address)
	both := servertest.At(t, address)
	both.Ordered = given.take
	const speed = 60
	var list []*servertest.Rig
	for i := range 8 {
		list = append(list, both.AddRig(petrel(t, i+1), speed))
	}
	view := open(t, b.Address)
	// What each rig does: the request comes to one process, wherever the rig is linked.
	fit := func(r *servertest.Rig) api.Fitting {
		var f api.Fitting
		a.Call("POST", fmt.Sprintf("/api/rigs/%d/fittings", r.ID), api.FitRequest{Trim: r.Trims()[0].Id}, 201, &f)
		return f
	}
	fitted := func(f *api.Fitting) bool {
		b.Call("GET", fmt.Sprintf("/api/fittings/%d", f.Id), nil, 200, f)
		return f.Ended
	}
	var fittings []api.Fitting
	for _, r := range list {
		fittings = append(fittings, fit(r))
	}
	for i := range fittings {
		b.Until("the trim is in force", func() bool { return fitted(&fittings[i]) })
	}
	trials := make([]api.Trial, len(list))
	for i, r := range list[:7] {
		legs := []api.LegRequest{servertest.Leg("mixed", 240), servertest.Leg("light", 240)}
		if i == 0 {
			legs[1].Inject = &api.Inject{Core: 3, AfterS: 200}
		}
		a.Call("POST", fmt.Sprintf("/api/rigs/%d/trials", r.ID), api.StartTrialRequest{Legs: legs}, 201, &trials[i])
	}
	underWay := fit(list[7])
	b.Until("the first legs run", func() bool {
		for i := range list[:7] {
			b.Call("GET", fmt.Sprintf("/api/trials/%d", trials[i].Id), nil, 200, &trials[i])
			if trials[i].DoneS < 60 {
				return false
			}
		}
		return true
	})
	before := make([]int, len(list))
	for i, r := range list {
		before[i] = view.told("vitals", r.ID)
	}
	first.kill()
	list[1].Enter(nil, "ForceRestart") // a machine that restarts while nobody may be listening
	for i := range list[:7] {
		b.Until(fmt.Sprintf("the trial on rig %d ends", i+1), func() bool {
			b.Call("GET", fmt.Sprintf("/api/trials/%d", trials[i].Id), nil, 200, &trials[i])
			return trials[i].Ended
		})
	}
	b.Until("the fitting ends", func() bool { return fitted(&underWay) })
	if underWay.State != "in force" {
		t.Errorf("the fitting ended %s: %s", underWay.State, underWay.Problem)
	}
	for i, r := range list[:7] {
		verdict, core, legs := "held", -1, 2
		switch i {
		case 0:
			verdict, core = "miscalculated", 3
		case 1:
			verdict, legs = "restarted", 1
		}
		if got := trials[i]; got.Verdict != verdict || got.Core != core {
			t.Errorf("rig %d: %s on core %d: %s; want %s on core %d", i+1, got.Verdict, got.Core, got.Why, verdict, core)
		}
		if n := given.of(r.Config.Name); n != legs {
			t.Errorf("rig %d: %d orders for %d legs", i+1, n, legs)
		}
		if view.told("trial", r.ID) == 0 {
			t.Errorf("rig %d: the page was told nothing of its trial", i+1)
		}
	}
	b.Until("the page is told of every rig's figures again", func() bool {
		for i, r := range list {
			if view.told("vitals", r.ID) <= before[i] {
				return false
			}
		}
		return true
	})
	var all []api.Rig
	b.Call("GET", "/api/rigs", nil, 200, &all)
	for _, r := range all {
		if !r.Linked || r.State != "idle" {
			t.Errorf("%s: linked %t, %s", r.Name, r.Linked, r.State)
		}
	}
}
