// Package demo runs the whole of Zero Keel on one machine, for a first look: MariaDB, the server, the stand-in rigs,
// and the agent of this computer, each a process of its own. The history of the rigs is made through the same API that
// the pages use, with the stand-ins at high speed.
package demo

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"time"

	"zerokeel/demo/rigs"
	"zerokeel/mariadb"
)

// Options say how the demo is run.
type Options struct {
	Program string // the zerokeel binary
	Dir     string // data folder
	Port    int
	Fresh   bool // start over
	Speed   float64
	Out     io.Writer
}

// Speeds of the stand-ins: while their history is made, between the legs of it, where the server's time to think would
// become hours of theirs, and afterwards.
const (
	loadingSpeed = 4000
	loadingRest  = 200
	DefaultSpeed = 30
)

// state is what the demo keeps between runs.
type state struct {
	Loaded    bool              `json:"loaded"`
	Tokens    map[string]string `json:"tokens"` // of the stand-ins, by name
	Rigs      map[string]int64  `json:"rigs"`   // their ids
	HereToken string            `json:"hereToken"`
	HereRig   int64             `json:"hereRig"`
	Password  string            `json:"password"` // of the stand-ins' boards
	Machines  string            `json:"machines"` // fingerprint of what the rigs were made of
}

// machines is a fingerprint of what the rigs of this version are made of.
func machines() (string, error) {
	sum := sha256.New()
	for _, s := range stories {
		text, err := rigs.Standin(s.standin)
		if err != nil {
			return "", err
		}
		sum.Write(text)
	}
	return hex.EncodeToString(sum.Sum(nil)), nil
}

// database is the name of the demo's database.
const database = "zerokeel"

// Run starts everything, makes the history at the first start, tells the address, and runs until the context ends.
func Run(ctx context.Context, opt Options) error {
	if opt.Fresh {
		if err := os.RemoveAll(opt.Dir); err != nil {
			return fmt.Errorf("start over: %w", err)
		}
	}
	if err := os.MkdirAll(opt.Dir, 0o700); err != nil {
		return fmt.Errorf("make the data folder: %w", err)
	}
	st, err := readState(opt.Dir)
	if err != nil {
		return err
	}
	now, err := machines()
	if err != nil {
		return err
	}
	if st.Loaded && st.Machines != now {
		return fmt.Errorf("the demo in %s is of an earlier version's machines: start it over with --fresh, or choose another folder with --data",
			opt.Dir)
	}
	st.Machines = now
	config := mariadb.Config{Dir: filepath.Join(opt.Dir, "db"), BufferPool: "128M"}
	db, err := mariadb.Start(ctx, config)
	if err != nil {
		return err
	}
	// The database outlives the context that ends the demo: the others are stopped first.
	keepUp, release := context.WithCancel(context.WithoutCancel(ctx))
	kept := make(chan struct{})
	go func() {
		defer close(kept)
		keepDatabase(keepUp, db, config)
	}()
	defer func() { release(); <-kept }()
	if !st.Loaded {
		// A first loading that was cut off has left a half history: begin with an empty database.
		if err := db.Drop(ctx, database); err != nil {
			return err
		}
		if err := os.RemoveAll(filepath.Join(opt.Dir, "rigs")); err != nil {
			return fmt.Errorf("start over: %w", err)
		}
	}
	if err := db.Create(ctx, database); err != nil {
		return err
	}
	d := &demo{opt: opt, state: st, db: db, address: fmt.Sprintf("http://127.0.0.1:%d", opt.Port), standins: map[string]*process{},
		boards: map[string]string{}}
	defer d.stop()
	return d.run(ctx)
}

// keepDatabase starts the database again whenever it ends, and stops it when the context ends.
func keepDatabase(ctx context.Context, db *mariadb.Server, config mariadb.Config) {
	for {
		select {
		case <-ctx.Done():
			_ = db.Stop()
			return
		case <-db.Done():
		}
		again, err := mariadb.Start(ctx, config)
		for err != nil && ctx.Err() == nil {
			time.Sleep(restartPause)
			again, err = mariadb.Start(ctx, config)
		}
		if err != nil {
			return
		}
		db = again
	}
}

type demo struct {
	opt      Options
	state    *state
	db       *mariadb.Server
	address  string
	server   *process
	agent    *process
	mu       sync.Mutex
	standins map[string]*process
	boards   map[string]string // address of each stand-in's Redfish service
}

func (d *demo) run(ctx context.Context) error {
	if err := portFree(d.opt.Port); err != nil {
		return err
	}
	d.server = d.start("server", nil, "serve", "--dsn", d.db.DSN(database), "--listen", fmt.Sprintf("127.0.0.1:%d", d.opt.Port),
		"--keys", filepath.Join(d.opt.Dir, "keys"))
	if err := d.await(ctx); err != nil {
		return err
	}
	taken := map[int]bool{}
	for _, s := range stories {
		port, err := mariadb.FreePort()
		for err == nil && taken[port] { // by a board that does not listen yet
			port, err = mariadb.FreePort()
		}
		if err != nil {
			return err
		}
		taken[port], d.boards[s.standin] = true, fmt.Sprintf("127.0.0.1:%d", port)
	}
	api := &client{address: d.address}
	if !d.state.Loaded {
		_, _ = fmt.Fprintln(d.opt.Out, "making the history of the demo's rigs, through the real paths at high speed …")
		if err := d.load(ctx, api); err != nil {
			return fmt.Errorf("load the demo: %w", err)
		}
	} else {
		for _, s := range stories {
			if !s.byHand {
				if err := api.setBoard(ctx, d.state.Rigs[s.standin], "http://"+d.boards[s.standin], boardUser, d.state.Password); err != nil {
					return err
				}
			}
			if err := d.startStandin(s.standin, d.opt.Speed, d.opt.Speed, time.Now()); err != nil {
				return err
			}
		}
	}
	if d.agent == nil {
		d.startAgent()
	}
	if err := api.untilLinked(ctx, d.state.Rigs[stories[0].standin], true, d.standin(stories[0].standin)); err != nil {
		return err
	}
	_, _ = fmt.Fprintf(d.opt.Out, "Zero Keel is ready at %s\n", d.address)
	<-ctx.Done()
	return nil
}

const boardUser = "bench"

func (d *demo) rigDir() string { return filepath.Join(d.opt.Dir, "rigs") }

// stopStandin stops a stand-in that runs.
func (d *demo) stopStandin(name string) {
	d.mu.Lock()
	running := d.standins[name]
	d.mu.Unlock()
	running.stop()
}

// startStandin runs a stand-in that does not run, at a speed and one between legs, with its clock set.
func (d *demo) startStandin(name string, speed, rest float64, clock time.Time) error {
	if err := os.MkdirAll(d.rigDir(), 0o700); err != nil {
		return fmt.Errorf("make the stand-ins' folder: %w", err)
	}
	file := filepath.Join(d.rigDir(), name+".standin.json")
	text, err := rigs.Standin(name)
	if err != nil {
		return err
	}
	if err := os.WriteFile(file, text, 0o600); err != nil {
		return fmt.Errorf("write the file of stand-in %s: %w", name, err)
	}
	secrets := []string{"ZEROKEEL_TOKEN=" + d.state.Tokens[name], "ZEROKEEL_BOARD_PASSWORD=" + d.state.Password}
	p := d.start(name, secrets, "standin", "--config", file, "--redfish", d.boards[name], "--server", d.address, "--user", boardUser,
		"--state", d.rigDir(), "--speed", fmt.Sprint(speed),
		"--rest-speed", fmt.Sprint(rest), "--clock", clock.UTC().Format(time.RFC3339))
	d.mu.Lock()
	defer d.mu.Unlock()
	d.standins[name] = p
	return nil
}

func (d *demo) startAgent() {
	d.agent = d.start("agent", []string{"ZEROKEEL_TOKEN=" + d.state.HereToken}, "agent", "--server", d.address,
		"--state", filepath.Join(d.opt.Dir, "agent"))
}

// standin returns the process of a stand-in.
func (d *demo) standin(name string) *process {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.standins[name]
}

// patience is how long the demo waits for what its processes do. They take as long as the computer needs for them, so this ends
// only what hangs.
const patience = 10 * time.Minute

// await waits until the server answers.
func (d *demo) await(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	return until(ctx, func() (bool, error) {
		if d.server.failed() {
			return false, errors.New("the server does not start; its log is " + d.server.log)
		}
		response, err := http.Get(d.address + "/api/openapi.json")
		if err != nil {
			return false, nil
		}
		_ = response.Body.Close()
		return response.StatusCode == http.StatusOK, nil
	})
}

// asking is the time between two questions to the server: ten histories are made at once, and asking more often slows them.
const asking = 100 * time.Millisecond

// until waits until something holds.
func until(ctx context.Context, holds func() (bool, error)) error {
	tick := time.NewTicker(asking)
	defer tick.Stop()
	for {
		if ok, err := holds(); ok || err != nil {
			return err
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-tick.C:
		}
	}
}

// stop ends the children: the rigs first, all at once, then the server.
func (d *demo) stop() {
	var ending sync.WaitGroup
	d.mu.Lock()
	for _, p := range append(slices.Collect(maps.Values(d.standins)), d.agent) {
		if p != nil {
			ending.Go(p.stop)
		}
	}
	d.mu.Unlock()
	ending.Wait()
	if d.server != nil {
		d.server.stop()
	}
}

func readState(dir string) (*state, error) {
	st := state{Tokens: map[string]string{}, Rigs: map[string]int64{}}
	text, err := os.ReadFile(filepath.Join(dir, "demo.json"))
	if errors.Is(err, fs.ErrNotExist) {
		return &st, nil
	}
	if err != nil {
		return nil, fmt.Errorf("read the demo's state: %w", err)
	}
	if err := json.Unmarshal(text, &st); err != nil {
		return nil, fmt.Errorf("read the demo's state: %w; start over with --fresh", err)
	}
	return &st, nil
}

func (d *demo) save() error {
	text, err := json.Marshal(d.state)
	if err != nil {
		return fmt.Errorf("save the demo's state: %w", err)
	}
	if err := os.WriteFile(filepath.Join(d.opt.Dir, "demo.json"), text, 0o600); err != nil {
		return fmt.Errorf("save the demo's state: %w", err)
	}
	return nil
}
