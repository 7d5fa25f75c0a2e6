package e2e

import (
	"fmt"
	"io"
	"log/slog"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"testing"

	"zerokeel/keys"
	"zerokeel/server"
	"zerokeel/store/storetest"
	"zerokeel/workshop"
)

// TestJourneyMovingHouse: a rig is taken out on Records, and taken in by the first page of a second server that has a database of its own
// and no rig: its course, a trial with its strips and what that proves stand there as they stood here. Taken in once more, its
// name is taken, and another may be given.
func TestJourneyMovingHouse(t *testing.T) {
	rig, _ := rigCalled(t, "Dunlin")
	p := open(t, fmt.Sprintf("/rig/%d/records", rig.Id))
	must(p.Element("[aria-label='Rig to take out']")).MustSelect("Dunlin")
	href := must(p.see("a[download]", "Archive").Attribute("href"))
	response := get(t, *href)
	if response.StatusCode != 200 {
		t.Fatalf("%s: %s", *href, response.Status)
	}
	file := filepath.Join(t.TempDir(), "dunlin.zip")
	if err := os.WriteFile(file, must(io.ReadAll(response.Body)), 0o600); err != nil {
		t.Fatal(err)
	}
	before := standsAs(p, address+fmt.Sprintf("/rig/%d/trial", rig.Id))

	there := page{p.Page, t}
	other := emptyBench(t)
	there.leadTo(other)
	there.see("main", "There is no rig yet")
	there.see("input[type=file]", "").MustSetFiles(file)
	there.click("button", "Take it in")
	there.see("[data-taken=Dunlin]", "The token of its agent, told once")
	there.click("[data-taken=Dunlin] a", "Dunlin")
	there.see("h1", "Dunlin")
	if after := standsAs(there, other+"/rig/1/trial"); after != before {
		t.Errorf("here stood:\n%s\nthere stands:\n%s", before, after)
	}
	there.click("nav a", "Records")
	there.see("input[type=file]", "").MustSetFiles(file)
	there.click("button", "Take it in")
	there.see("aside", "another name")
	there.fill("[aria-label='Another name for its rig']", "Second opinion")
	there.click("button", "Take it in")
	there.see("[data-taken='Second opinion']", "is here")
}

// leadTo opens another address in the tab.
func (p page) leadTo(at string) {
	p.t.Helper()
	if err := p.Navigate(at); err != nil {
		p.t.Fatal(err)
	}
}

// standsAs tells what a trial that proves something says at an address: its title, its legs and proof, and the course.
func standsAs(p page, at string) string {
	p.t.Helper()
	p.leadTo(at)
	p.click("aside a", "living room")
	p.see("h1", "Trial 6")
	p.see("main", "paler is less")
	p.see("[data-proof]", "no fault in")
	text := ""
	for _, selector := range []string{"main h1", "[data-verdict]", "[data-legs] li", "[data-stood]:not([data-stood='daily use'])",
		"nav[aria-label='Course of trims']"} {
		for _, e := range must(p.Elements(selector)) {
			text += regexp.MustCompile(`\s+`).ReplaceAllString(must(e.Text()), " ") + "\n"
		}
	}
	return text
}

// emptyBench serves a second bench with a database of its own, and returns its address.
func emptyBench(t *testing.T) string {
	t.Helper()
	log := slog.New(slog.DiscardHandler)
	_, handler, err := server.New(server.Config{Shop: workshop.New(storetest.Open(t), log, keys.Passing()), Log: log,
		Front: os.DirFS("../web/dist")})
	if err != nil {
		t.Fatal(err)
	}
	h := httptest.NewServer(handler)
	t.Cleanup(func() {
		h.CloseClientConnections() // the page listens on
		h.Close()
	})
	return h.URL
}
