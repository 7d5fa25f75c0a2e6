package e2e

import (
	"compress/gzip"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/go-rod/rod/lib/input"
)

// TestJourneyToAProvenChange: from a trim to a new one (all cores −10), preflight clean, fitted, read back,
// a heavy leg with live strips, held, benchmarked, compared with stock.
func TestJourneyToAProvenChange(t *testing.T) {
	p := open(t, "/rig/1/trim")
	p.see("nav[aria-label='Fleet'] a", `Petrel\s+SIM`)
	p.see("nav[aria-label='Course of trims'] button", "core 5 miscalculated")
	p.see("h1", `T\d+ surveyed`)
	if err := p.Keyboard.Type(input.KeyN); err != nil {
		t.Fatal(err)
	}
	p.see("h1", `New trim from T\d+`)
	p = open(t, "/rig/1/trim/4/new")
	p.see("h1", "New trim from T2")
	p.fill(`[aria-label="Curve offset, all cores"]`, "10")
	p.see("[data-preflight] li", "raises the voltage")
	p.click("[data-preflight] button", "Mend it")
	p.see("aside", "clean")
	p.see("[data-forecast]", "Burst")
	p.fill("form label:first-child input", "all cores -10")
	p.click("button", "Save trim")
	p.see("h1", `T\d+ all cores`)
	p.click("button", "Fit T")
	p.see("[data-fitting='in force']", "Every setting reads back as asked")
	p.click("button", "Prove it")
	p.click("button", "Start trial")
	p.see("h1", `under T\d+`)
	if _, err := p.Element(".uplot canvas"); err != nil {
		t.Fatalf("no live strips: %v\n%s", err, p.words())
	}
	p.see("[data-verdict='']", "left")
	p.see("[data-verdict='held']", "held")
	p.click("button", "Figures")
	p.see("[data-figure='temperature.above']", "above ambient")
	p.see("[data-figure='power.package'] [data-settled='true']", "±")
	p.click("button", "Strips")
	p.click("button", "Benchmark")
	p.see("h1", "Benchmark")
	p.see("[data-verdict='held']", "held")
	p.click("button", "Compare with stock")
	p.see("h1", `T\d+ all cores -10 against stock`)
	p.see("[data-row='perWatt']", "better")
	p.see("[data-row='temperature.peak']", "not settled")
	p.click("button", "Compare all that differs")
	p.see("[data-row='heavy temperature.above']", "better")
	p.see("[data-row='heavy power.package']", "better")
	p.see("nav[aria-label='Course of trims'] button[aria-label*='in force']", `T\d+ all cores`)
}

// TestJourneyTooDeep: a trim that is too deep fails, the core is named, and one click goes back to the nearest that held.
func TestJourneyTooDeep(t *testing.T) {
	p := open(t, "/rig/1/trim/4/new")
	p.fill(`[aria-label="Curve offset, all cores"]`, "-22")
	p.see("[data-forecast]", "Heavy vector")
	p.fill("form label:first-child input", "too deep")
	p.click("button", "Save trim")
	p.click("button", "Fit T")
	p.see("[data-fitting='in force']", "Every setting reads back as asked")
	p.click("button", "Prove it")
	p.click("button", "Start trial")
	p.see("[data-verdict]", "core 5|froze|restarted")
	p.see("aside", "the nearest that stands as")
	core5Named(t)
	p.click("aside button", "Back to T")
	p.see("[data-fitting='in force']", "Every setting reads back as asked")
}

// core5Named tries Petrel's trim in force until it fails by a wrong result: a machine that freezes or restarts names no core, and
// which of these comes first is the chip's own choice.
func core5Named(t *testing.T) {
	t.Helper()
	for range 8 {
		trial := ended(t, start(t, 1, `[{"load":"heavy","seconds":1800}]`))
		if strings.Contains(trial.Why, "core 5") {
			return
		}
		if trial.Verdict == "held" || trial.Verdict == "void" {
			t.Fatalf("a trim that failed ended %s: %s", trial.Verdict, trial.Why)
		}
	}
	t.Error("of eight faults none named core 5")
}

// TestPageIsUsableAtOnce measures in the browser's own trace how long it takes from opening the demo's page until a
// rig, its course and its sheet are shown.
func TestPageIsUsableAtOnce(t *testing.T) {
	p := open(t, "/rig/1/rig")
	p.see("nav[aria-label='Course of trims'] button", "stock")
	if err := p.Reload(); err != nil {
		t.Fatal(err)
	}
	p.see("nav[aria-label='Course of trims'] button", "stock")
	took, err := p.Eval(`() => performance.getEntriesByType('mark').find((m) => m.name === 'usable')?.startTime ?? -1`)
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("usable after %.0f ms", took.Value.Num())
	if ms := took.Value.Num(); ms <= 0 {
		t.Error("the page does not tell when it became usable")
	}
}

// TestBundleIsSmall bounds what a first visitor loads, compressed: what the page itself names. What a sheet asks for later is left out.
func TestBundleIsSmall(t *testing.T) {
	const most = 300 << 10
	page, err := os.ReadFile("../web/dist/index.html")
	files := regexp.MustCompile(`assets/[^"]+`).FindAllString(string(page), -1)
	if err != nil || len(files) < 2 {
		t.Fatalf("the front end is not built: %v, %q", err, files)
	}
	total := 0
	for _, name := range files {
		ext := filepath.Ext(name)
		if ext != ".js" && ext != ".css" {
			continue
		}
		text, err := os.ReadFile(filepath.Join("../web/dist", name))
		if err != nil {
			t.Fatal(err)
		}
		size := &counter{}
		z := gzip.NewWriter(size)
		if _, err := z.Write(text); err != nil {
			t.Fatal(err)
		}
		if err := z.Close(); err != nil {
			t.Fatal(err)
		}
		total += size.n
	}
	t.Logf("%d kB compressed", total>>10)
	if total > most {
		t.Errorf("the front end takes %d bytes compressed, at most %d are allowed", total, most)
	}
}

type counter struct{ n int }

func (c *counter) Write(p []byte) (int, error) {
	c.n += len(p)
	return len(p), nil
}

var _ io.Writer = (*counter)(nil)

// TestDemoServesItsOwnFiles: nothing on the page comes from anywhere else.
func TestDemoServesItsOwnFiles(t *testing.T) {
	p := open(t, "/rig/1/trial")
	p.see("h1", "under")
	out, err := p.Eval(`() => performance.getEntriesByType('resource').map((r) => r.name).filter((n) => !n.startsWith(location.origin) && !n.startsWith('data:'))`)
	if err != nil {
		t.Fatal(err)
	}
	if list := out.Value.Arr(); len(list) > 0 {
		t.Errorf("loaded from elsewhere: %v", list)
	}
	if response := get(t, "/api/rigs"); response.StatusCode != 200 {
		t.Errorf("/api/rigs: %s", response.Status)
	}
}
