package e2e

import (
	"fmt"
	"testing"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
)

// TestHandbook goes through the handbook from the page that a key opens: each page follows from the one before, its pictures are there,
// and the name of a sheet leads to it.
func TestHandbook(t *testing.T) {
	p := open(t, "/rig/1/soundings")
	p.see("[data-chart=soundings]", "")
	p.typed("?", "Slash", true)
	p.see("[data-page='what-proof-means'] h1", "What proof means")
	p.see("[data-page='what-proof-means'] table td", "held")
	p.press(input.KeyG, input.KeyD)
	p.see("[data-chart=soundings]", "")
	p.click("header a", "Handbook")
	p.see("[data-page='what-proof-means'] h1", "What proof means")
	p.click("aside a", "Handbook")
	pages := len(must(p.Elements("aside ol a")))
	if pages < 10 {
		t.Fatalf("the handbook has %d pages", pages)
	}
	pictures := 0
	for n := range pages {
		page := p.see(fmt.Sprintf("aside li:nth-child(%d) a[aria-current=page]", n+1), "")
		title := must(page.Text())
		p.see("[data-page] h1", title)
		p.see("[data-page] li", "")
		for _, picture := range must(p.Elements("[data-page] img")) {
			if err := picture.ScrollIntoView(); err != nil {
				t.Fatal(err)
			}
			if err := p.Wait(rod.Eval(`(e) => e.complete && e.naturalWidth > 1000 && e.alt.length > 10`, picture.Object)); err != nil {
				t.Errorf("a picture of %s is missing: %v", title, err)
			}
			pictures++
		}
		if n < pages-1 {
			p.click("[data-page] p:last-child a", "")
		}
	}
	if pictures < pages {
		t.Errorf("%d pictures on %d pages", pictures, pages)
	}
	p.click("[data-page] strong a, [data-page] a.font-semibold", "Records")
	p.see("h1", "Records")
}
