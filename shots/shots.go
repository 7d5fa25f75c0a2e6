// Package shots makes the pictures of the documentation from a running demo.
package shots

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"github.com/go-rod/rod"

	"zerokeel/browser"
)

// shot is one picture: an address below the demo's, what must be seen before it is taken, and what is done first.
type shot struct {
	name, path, wait string
	prepare          func(*rod.Page) error
	guarded, known   bool // of a guarded server; once its owner is logged in
}

// list holds every picture. Rig 1 is the demo's Petrel, whose trims and trials are numbered as its history makes them.
var list = []shot{
	{name: "rig", path: "/rig/1/rig", wait: "table"},
	{name: "trim-new", path: "/rig/1/trim/4/new", wait: "[data-forecast]", prepare: func(p *rod.Page) error {
		return fill(p, `[aria-label="Curve offset, all cores"]`, "10")
	}},
	{name: "fitting", path: "/rig/1/fitting", wait: "[data-fitting='in force']"},
	{name: "trial", path: "/rig/1/trial/5", wait: ".uplot canvas"},
	{name: "trial-failed", path: "/rig/1/trial/7", wait: ".uplot canvas"},
	{name: "fleet", path: "/rig/1/fleet", wait: "[data-kin] [data-strays=true]"},
	{name: "compare", path: "/rig/1/compare", wait: "[data-words]", prepare: threeCompared},
	{name: "record", path: "/rig/1/trim", wait: "aside a[href$=record]", prepare: record},
	{name: "cooling", path: "/rig/1/cooling", wait: "[data-chart=fan]", prepare: func(p *rod.Page) error {
		if err := click(p, "aside button", "Draw it"); err != nil {
			return err
		}
		_, err := p.Timeout(browser.Timeout).Element("[data-changes]")
		return err
	}},
	{name: "scores", path: "/rig/1/scores", wait: "[data-comparison]"},
	{name: "soundings", path: "/rig/1/soundings", wait: "[data-chart=soundings]"},
	{name: "plane", path: "/rig/4/soundings", wait: "[data-chart=plane]"},
	{name: "tuning", path: "/rig/1/tuning/0/new", wait: "[data-plan]", prepare: tuning},
	{name: "card", path: "/rig/11/fitting", wait: "[data-fitting='entering']"},
	{name: "log", path: "/rig/3/log", wait: "[data-log] li"},
	{name: "part-sheet", path: "/rig/3/parts", wait: "aside button", prepare: func(p *rod.Page) error {
		if err := click(p, "aside button", "Meridan K14"); err != nil {
			return err
		}
		_, err := p.Element("[data-curves]")
		return err
	}},
	{name: "survey", path: "/rig/1/soundings", wait: "[data-chart=soundings]", prepare: survey}, // it changes Petrel's course
	// The last: the bench has a rig more from then on.
	{name: "new-rig", path: "/rig/1/add", wait: "[data-new-rig] input", guarded: true, known: true, prepare: func(p *rod.Page) error {
		return errors.Join(fill(p, "[data-new-rig] input", "Fulmar"), click(p, "button", "Add a rig"), click(p, "summary", "no system"))
	}},
}

// Names lists the pictures.
func Names() []string {
	names := make([]string, len(list))
	for i, s := range list {
		names[i] = s.name
	}
	return names
}

// Make takes the named pictures, all when none is named, of the demo at an address into a folder; without a guarded server, those of
// one are left out.
func Make(ctx context.Context, address string, g *Guarded, folder string, only []string) error {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return fmt.Errorf("make the folder of pictures: %w", err)
	}
	b, err := browser.Start()
	if err != nil {
		return err
	}
	defer b.Close()
	if g != nil {
		if err := g.people(b); err != nil {
			return err
		}
	}
	for _, s := range list {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if len(only) > 0 && !contains(only, s.name) {
			continue
		}
		at := address
		if s.guarded && g == nil {
			continue
		} else if s.guarded {
			at = g.Address
		}
		if err := s.take(b, at, filepath.Join(folder, s.name+".png")); err != nil {
			return fmt.Errorf("picture %s: %w", s.name, err)
		}
	}
	return nil
}

func contains(list []string, name string) bool {
	for _, one := range list {
		if one == name {
			return true
		}
	}
	return false
}

func (s *shot) take(b *browser.Browser, address, file string) error {
	page, err := b.Page(address + s.path)
	if err != nil {
		return err
	}
	defer func() { _ = page.Close() }()
	page = page.Timeout(browser.Timeout)
	if _, err := page.Eval(`() => localStorage.setItem('chart', 'day')`); err != nil {
		return err
	}
	if s.known {
		if err := logIn(page); err != nil {
			return err
		}
	}
	if err := page.Reload(); err != nil {
		return err
	}
	if _, err := page.Element(s.wait); err != nil {
		return fmt.Errorf("%s does not appear: %w", s.wait, err)
	}
	if s.prepare != nil {
		if err := s.prepare(page); err != nil {
			return err
		}
	}
	// Two frames of the browser: what was asked for is drawn then.
	if _, err := page.Eval(`() => document.fonts.ready.then(() => new Promise(r => setTimeout(r, 900)))`); err != nil {
		return err
	}
	picture, err := page.Screenshot(false, nil)
	if err != nil {
		return err
	}
	return os.WriteFile(file, picture, 0o644)
}

// tuning draws a quiet tuning up, from stock on.
func tuning(p *rod.Page) error {
	list, err := p.Timeout(browser.Timeout).Element("#bound-trim")
	if err != nil {
		return err
	}
	if err := list.Select([]string{"stock"}, true, rod.SelectorTypeText); err != nil {
		return err
	}
	goal, err := p.Timeout(browser.Timeout).Element("input[value=quiet]")
	if err != nil {
		return err
	}
	if err := goal.Click("left", 1); err != nil {
		return err
	}
	_, err = p.Timeout(browser.Timeout).ElementR("[data-plan=fans]", "Slower fans")
	return err
}

// survey starts a survey, and waits until it is at work.
func survey(p *rod.Page) error {
	if err := click(p, "aside button", "Start the survey"); err != nil {
		return err
	}
	_, err := p.Timeout(browser.Timeout).ElementR("[data-pilot=flying]", "Fails with a chance")
	return err
}

func click(p *rod.Page, selector, text string) error {
	e, err := p.Timeout(browser.Timeout).ElementR(selector, text)
	if err != nil {
		return err
	}
	return e.Click("left", 1)
}

func fill(p *rod.Page, selector, text string) error {
	e, err := p.Timeout(browser.Timeout).Element(selector)
	if err != nil {
		return err
	}
	if err := e.SelectAllText(); err != nil {
		return err
	}
	return e.Input(text)
}

// threeCompared adds the trim with the maker's limits to the two that are compared.
func threeCompared(p *rod.Page) error {
	choice, err := p.Timeout(browser.Timeout).Element("select[aria-label='Add a trim']")
	if err != nil {
		return err
	}
	if err := choice.Select([]string{"T2 limits"}, true, rod.SelectorTypeText); err != nil {
		return err
	}
	_, err = p.Timeout(browser.Timeout).Element("[data-words=T2]")
	return err
}

// record opens the record of the trim that is shown.
func record(p *rod.Page) error {
	link, err := p.Element("aside a[href$=record]")
	if err != nil {
		return err
	}
	to, err := link.Property("href")
	if err != nil {
		return err
	}
	if err := p.Navigate(to.Str()); err != nil {
		return err
	}
	_, err = p.Timeout(browser.Timeout).Element("h1")
	return err
}
