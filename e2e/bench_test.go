// Package e2e walks through Zero Keel as a person does: the demo in its own processes, and its pages in a real browser.
package e2e

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod"

	"zerokeel/browser"
	"zerokeel/demo"
	"zerokeel/mariadb"
)

// address is where the demo of this test run serves, dataDir where it keeps its data.
var address, dataDir string

// program is the one that everything here runs.
var program string

func TestMain(m *testing.M) {
	code, err := run(m)
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		code = 1
	}
	os.Exit(code)
}

// run starts one demo for all journeys, with stand-ins fast enough that ten minutes pass in seconds.
func run(m *testing.M) (int, error) {
	dir, err := os.MkdirTemp("", "zk-e2e")
	if err != nil {
		return 1, err
	}
	defer func() { _ = os.RemoveAll(dir) }()
	program = filepath.Join(dir, "zerokeel")
	if out, err := exec.Command("go", "build", "-o", program, "../cmd/zerokeel").CombinedOutput(); err != nil {
		return 1, fmt.Errorf("build: %w\n%s", err, out)
	}
	port, err := mariadb.FreePort()
	if err != nil {
		return 1, err
	}
	address = fmt.Sprintf("http://127.0.0.1:%d", port)
	dataDir = filepath.Join(dir, "data")
	ctx, cancel := context.WithCancel(context.Background())
	read, write := io.Pipe()
	done := make(chan error, 1)
	go func() {
		done <- demo.Run(ctx, demo.Options{Program: program, Dir: dataDir, Port: port, Speed: 150, Out: write})
		close(done) // it is asked for twice when the demo fails
		_ = write.Close()
	}()
	defer func() { cancel(); <-done }()
	for lines := bufio.NewScanner(read); lines.Scan(); {
		if strings.Contains(lines.Text(), "is ready at "+address) {
			go func() { _, _ = io.Copy(io.Discard, read) }()
			return m.Run(), nil
		}
	}
	return 1, fmt.Errorf("the demo does not start: %w", <-done)
}

// patience is how long a whole journey waits for what has to come. The rigs take as long as the machine needs for them, so
// this ends only what hangs.
const patience = 5 * time.Minute

// page is a tab with the words of a journey.
type page struct {
	*rod.Page
	t testing.TB
}

func open(t testing.TB, path string) page {
	t.Helper()
	b, err := browser.Start()
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(b.Close)
	p, err := b.Page(address + path)
	if err != nil {
		t.Fatal(err)
	}
	return page{p.Timeout(patience), t}
}

// see waits until an element that holds a text, any when that is empty, is there.
func (p page) see(selector, text string) *rod.Element {
	p.t.Helper()
	e, err := p.Element(selector)
	if text != "" {
		e, err = p.ElementR(selector, text)
	}
	if err != nil {
		p.t.Fatalf("%s with %q does not appear: %v\n%s", selector, text, err, p.words())
	}
	return e
}

// words returns what the page says, for a message of failure.
func (p page) words() string {
	body, err := p.Page.CancelTimeout().Timeout(5 * time.Second).Element("body")
	if err != nil {
		return ""
	}
	text, _ := body.Text()
	return text
}

// click clicks an element as soon as it is there and enabled. One that the page draws anew meanwhile is looked for again.
func (p page) click(selector, text string) {
	p.t.Helper()
	for {
		e := p.see(selector, text)
		err := e.WaitEnabled()
		if err == nil {
			err = e.Click("left", 1)
		}
		if err == nil {
			return
		}
		if !strings.Contains(err.Error(), "detached") {
			p.t.Fatalf("click %q: %v", text, err)
		}
	}
}

func (p page) fill(selector, text string) {
	p.t.Helper()
	e, err := p.Element(selector)
	if err != nil {
		p.t.Fatalf("%s does not appear: %v\n%s", selector, err, p.words())
	}
	if err := e.SelectAllText(); err != nil {
		p.t.Fatal(err)
	}
	if err := e.Input(text); err != nil {
		p.t.Fatal(err)
	}
}

func get(t *testing.T, path string) *http.Response {
	t.Helper()
	response, err := http.Get(address + path)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = response.Body.Close() })
	return response
}
