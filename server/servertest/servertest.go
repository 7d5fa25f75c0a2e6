// Package servertest runs a whole bench in a test: database, server and stand-ins, linked as in real use.
package servertest

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"zerokeel/core/series"
	"zerokeel/keys"
	"zerokeel/link"
	"zerokeel/runner"
	"zerokeel/server"
	"zerokeel/server/api"
	"zerokeel/standin"
	"zerokeel/store"
	"zerokeel/store/storetest"
	"zerokeel/workshop"
)

// Bench is a running server with its rigs.
type Bench struct {
	t       testing.TB
	Store   *store.Store
	Shop    *workshop.Workshop
	Address string
	Ordered func(rig string, o link.Order)  // is told of the orders that come to rigs added from then on; may be nil
	Rest    float64                         // speed between legs of rigs added from then on; 0 for that of the legs
	Guard   *server.Guarded                 // nil where whoever asks is the owner
	Board   func(http.Handler) http.Handler // stands before the boards of rigs added from then on; may be nil
	Code    string                          // that the first owner of a guarded bench shows
	http    *http.Client                    // who asks
	header  [2]string                       // that each request has, with its value
	seal    *keys.Seal
	hosts   []string // by which it is called beside its address
	stop    context.CancelFunc
	done    chan struct{}
}

// Start runs a server on a database of its own.
func Start(t testing.TB) *Bench {
	t.Helper()
	return On(t, storetest.Open(t))
}

// On runs a server on a database.
func On(t testing.TB, s *store.Store) *Bench {
	t.Helper()
	b := &Bench{t: t, Store: s, seal: keys.Passing()}
	b.Resume()
	t.Cleanup(b.Stop)
	return b
}

// Pages returns a bench of which the pages alone are served: nothing is driven, and nobody asks the database but those who
// ask the bench.
func Pages(t testing.TB, s *store.Store) *Bench {
	t.Helper()
	log := slog.New(slog.DiscardHandler)
	b := &Bench{t: t, Store: s, Shop: workshop.New(s, log, keys.Passing())}
	_, handler, err := server.New(server.Config{Shop: b.Shop, Log: log, Front: fstest.MapFS{}})
	if err != nil {
		t.Fatal(err)
	}
	h := httptest.NewServer(handler)
	t.Cleanup(h.Close)
	b.Address = h.URL
	return b
}

// At returns a bench whose server runs elsewhere, at an address.
func At(t testing.TB, address string) *Bench { return &Bench{t: t, Address: address} }

// Resume starts the server anew, on the same address, after Stop.
func (b *Bench) Resume() {
	b.t.Helper()
	log := slog.New(slog.DiscardHandler)
	b.Shop = workshop.New(b.Store, log, b.seal)
	run := runner.New(b.Shop, b.Store, log)
	srv, handler, err := server.New(server.Config{Shop: b.Shop, Log: log, Guarded: b.Guard, Hosts: b.hosts,
		Front: fstest.MapFS{"index.html": {Data: []byte("<title>Zero Keel</title>")}}})
	if err != nil {
		b.t.Fatal(err)
	}
	address := "127.0.0.1:0"
	if b.Address != "" {
		_, address, _ = strings.Cut(b.Address, "://")
	}
	l, err := net.Listen("tcp", address)
	if err != nil {
		b.t.Fatal(err)
	}
	b.Address = "http://" + l.Addr().String()
	if b.Guard != nil {
		b.Address = "https://" + l.Addr().String()
		if b.Code, err = b.Shop.NewCode(context.Background()); err != nil {
			b.t.Fatal(err)
		}
	}
	ctx, cancel := context.WithCancel(context.Background())
	b.stop, b.done = cancel, make(chan struct{})
	var all sync.WaitGroup
	shop := b.Shop
	for _, part := range []func() error{func() error { return shop.Run(ctx) }, func() error { return run.Run(ctx) },
		func() error { return srv.Serve(ctx, l, handler) }} {
		all.Go(func() { _ = part() })
	}
	done := b.done
	go func() {
		all.Wait()
		close(done)
	}()
}

// Stop ends the server; what it was doing is left as it stands in the database.
func (b *Bench) Stop() {
	b.stop()
	<-b.done
}

// For returns the same bench, failing another test.
func (b *Bench) For(t testing.TB) *Bench {
	other := *b
	other.t = t
	return &other
}

// Call makes a request, checks the status, and decodes the answer into out, which may be nil.
func (b *Bench) Call(method, path string, in any, status int, out any) {
	b.t.Helper()
	got, text := b.Raw(method, path, in)
	if got != status {
		b.t.Fatalf("%s %s: got %d, want %d: %s", method, path, got, status, text)
	}
	if out == nil {
		return
	}
	if err := json.Unmarshal(text, out); err != nil {
		b.t.Fatalf("%s %s: %v: %s", method, path, err, text)
	}
}

// With returns the same bench, whose requests have a header.
func (b *Bench) With(header, value string) *Bench {
	other := *b
	other.header = [2]string{header, value}
	return &other
}

// Try is Call for a server that may be away: any other answer than good news is an error.
func (b *Bench) Try(method, path string, in, out any) error {
	status, answer, err := b.send(method, path, in)
	if err == nil && status >= 300 {
		err = fmt.Errorf("%d: %s", status, answer)
	}
	if err != nil {
		return err
	}
	return json.Unmarshal(answer, out)
}

// Raw makes a request, whose body is JSON of in unless it is a text or nil, and returns the answer.
func (b *Bench) Raw(method, path string, in any) (int, []byte) {
	b.t.Helper()
	status, answer, err := b.send(method, path, in)
	if err != nil {
		b.t.Fatal(err)
	}
	return status, answer
}

func (b *Bench) send(method, path string, in any) (int, []byte, error) {
	var text []byte
	switch in := in.(type) {
	case nil:
	case string:
		text = []byte(in)
	default:
		var err error
		if text, err = json.Marshal(in); err != nil {
			return 0, nil, err
		}
	}
	request, err := http.NewRequest(method, b.Address+path, bytes.NewReader(text))
	if err != nil {
		return 0, nil, err
	}
	if text != nil {
		request.Header.Set("Content-Type", "application/json")
	}
	if b.header[0] != "" {
		request.Header.Set(b.header[0], b.header[1])
	}
	response, err := b.client().Do(request)
	if err != nil {
		return 0, nil, err
	}
	defer func() { _ = response.Body.Close() }()
	answer, err := io.ReadAll(response.Body)
	return response.StatusCode, answer, err
}

// EverySecond reports samples of a leg of so many seconds that are lost or doubled: one is due each second of the rig's clock.
func EverySecond(samples []series.Sample, seconds int) error {
	var all []error
	if n := len(samples); n < seconds-2 || n > seconds+2 {
		all = append(all, fmt.Errorf("%d samples of %d s", n, seconds))
	}
	for i := 1; i < len(samples); i++ {
		if step := samples[i].T - samples[i-1].T; step < 950 || step > 1100 {
			all = append(all, fmt.Errorf("%d ms between two samples, after %d s", step, i))
		}
	}
	return errors.Join(all...)
}

// Rig is a linked stand-in.
type Rig struct {
	*Bench
	ID      int64
	Token   string
	Standin *standin.Rig
	Config  *standin.Config
	End     func() // ends its process, and waits for that
	board   string // address of its Redfish service
}

// AddRig stores the part sheets of a stand-in, adds its rig, and runs it at a speed until the test ends.
func (b *Bench) AddRig(cfg *standin.Config, speed float64) *Rig {
	b.t.Helper()
	return b.addRig(cfg, speed, true)
}

// AddCardRig is AddRig for a rig whose board the server does not reach: trims are entered by hand, see Rig.Enter.
func (b *Bench) AddCardRig(cfg *standin.Config, speed float64) *Rig {
	b.t.Helper()
	return b.addRig(cfg, speed, false)
}

func (b *Bench) addRig(cfg *standin.Config, speed float64, reached bool) *Rig {
	b.t.Helper()
	for kind, sheet := range map[string]any{"processor": cfg.Parts.Processor, "board": cfg.Parts.Board, "cooler": cfg.Parts.Cooler,
		"memory": cfg.Parts.Memory} {
		id := map[string]string{"processor": cfg.Parts.Processor.ID, "board": cfg.Parts.Board.ID, "cooler": cfg.Parts.Cooler.ID,
			"memory": cfg.Parts.Memory.ID}[kind]
		b.Call("PUT", "/api/parts/"+kind+"/"+id, sheet, 200, nil)
	}
	board := httptest.NewUnstartedServer(nil)
	yes, user, password := true, "bench", "keel"
	var created api.CreatedRig
	address := "http://" + board.Listener.Addr().String()
	request := api.CreateRigRequest{
		Name: cfg.Name, Simulated: &yes, AmbientC: &cfg.AmbientC,
		Parts: &api.PartNames{Processor: cfg.Parts.Processor.ID, Board: cfg.Parts.Board.ID, Cooler: cfg.Parts.Cooler.ID,
			Memory: cfg.Parts.Memory.ID},
	}
	if reached {
		request.Firmware = &api.FirmwareAccess{Address: address, User: &user, Password: &password}
	}
	b.Call("POST", "/api/rigs", request, 201, &created)
	opt := standin.Options{Speed: speed, Rest: b.Rest, Server: b.serverOf(created.Token), User: user, Password: password,
		StateDir: b.t.TempDir()}
	if told := b.Ordered; told != nil {
		opt.Ordered = func(o link.Order) { told(cfg.Name, o) }
	}
	rig, err := standin.NewRig(cfg, opt)
	if err != nil {
		b.t.Fatal(err)
	}
	board.Config.Handler = rig.Handler()
	if b.Board != nil {
		board.Config.Handler = b.Board(rig.Handler())
	}
	board.Start()
	b.t.Cleanup(board.Close)
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() {
		defer close(done)
		_ = rig.Run(ctx)
	}()
	end := func() { cancel(); <-done }
	b.t.Cleanup(end)
	r := &Rig{Bench: b, ID: created.Rig.Id, Token: created.Token, Standin: rig, Config: cfg, End: end, board: address}
	b.Until("the rig links", func() bool { return r.Get().Linked })
	return r
}

// Enter does what a person does at the machine: it enters attributes in the firmware's menus and restarts in the given
// way, such as "ForceRestart", or "FullPowerCycle" for pulling the plug.
func (r *Rig) Enter(attributes map[string]any, reset string) {
	r.t.Helper()
	send := func(method, path string, in any) {
		text, err := json.Marshal(in)
		if err != nil {
			r.t.Fatal(err)
		}
		request, err := http.NewRequest(method, r.board+path, bytes.NewReader(text))
		if err != nil {
			r.t.Fatal(err)
		}
		request.SetBasicAuth("bench", "keel")
		response, err := http.DefaultClient.Do(request)
		if err != nil {
			r.t.Fatal(err)
		}
		answer, _ := io.ReadAll(response.Body)
		_ = response.Body.Close()
		if response.StatusCode >= 300 {
			r.t.Fatalf("%s %s: %d: %s", method, path, response.StatusCode, answer)
		}
	}
	if len(attributes) > 0 {
		send("PATCH", "/redfish/v1/Systems/1/Bios/Settings", map[string]any{"Attributes": attributes})
	}
	send("POST", "/redfish/v1/Systems/1/Actions/ComputerSystem.Reset", map[string]any{"ResetType": reset})
}

// patience is how long a test waits for what has to come. What a stand-in does takes as long as the machine needs for it,
// so this ends only what hangs.
const patience = 10 * time.Minute

// Until waits until a condition holds; it fails the test when that takes unreasonably long.
func (b *Bench) Until(what string, holds func() bool) {
	b.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	tick := time.NewTicker(15 * time.Millisecond)
	defer tick.Stop()
	for !holds() {
		select {
		case <-tick.C:
		case <-ctx.Done():
			b.t.Fatalf("waited in vain until %s", what)
		}
	}
}

// Get returns the rig as the API tells it.
func (r *Rig) Get() api.Rig {
	r.t.Helper()
	var out api.Rig
	r.Call("GET", fmt.Sprintf("/api/rigs/%d", r.ID), nil, 200, &out)
	return out
}

// Trims returns the rig's trims.
func (r *Rig) Trims() []api.Trim {
	r.t.Helper()
	var out []api.Trim
	r.Call("GET", fmt.Sprintf("/api/rigs/%d/trims", r.ID), nil, 200, &out)
	return out
}

// Fit fits a trim and waits for the end of the fitting.
func (r *Rig) Fit(trim int64) api.Fitting {
	r.t.Helper()
	var f api.Fitting
	r.Call("POST", fmt.Sprintf("/api/rigs/%d/fittings", r.ID), api.FitRequest{Trim: trim}, 201, &f)
	r.Until("the fitting ends", func() bool {
		r.Call("GET", fmt.Sprintf("/api/fittings/%d", f.Id), nil, 200, &f)
		return f.Ended
	})
	return f
}

// Start starts a trial.
func (r *Rig) Start(in api.StartTrialRequest) api.Trial {
	r.t.Helper()
	var t api.Trial
	r.Call("POST", fmt.Sprintf("/api/rigs/%d/trials", r.ID), in, 201, &t)
	return t
}

// Trial returns a trial.
func (r *Rig) Trial(id int64) api.Trial {
	r.t.Helper()
	var t api.Trial
	r.Call("GET", fmt.Sprintf("/api/trials/%d", id), nil, 200, &t)
	return t
}

// Ended waits for the end of a trial.
func (r *Rig) Ended(id int64) api.Trial {
	r.t.Helper()
	var t api.Trial
	r.Until("the trial ends", func() bool {
		t = r.Trial(id)
		return t.Ended
	})
	return t
}

// Leg describes a leg of a proof on all cores.
func Leg(load string, seconds float64) api.LegRequest {
	kind := api.LegRequestLoad(load)
	return api.LegRequest{Load: &kind, Seconds: &seconds}
}
