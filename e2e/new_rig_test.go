package e2e

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os/exec"
	"testing"
)

// TestJourneyNewRig: in six actions a machine comes to the bench and runs its first trial: it is added by its name, shows the code that the
// page tells, is seen waiting with what it says of itself, and is taken in by a click. Then it is retired. It is this computer, by an agent
// of its own.
func TestJourneyNewRig(t *testing.T) {
	actions := 0
	p := open(t, "/")
	act := func(selector, text string) {
		t.Helper()
		actions++
		p.click(selector, text)
	}
	act("nav a", "New rig")
	actions++
	p.fill("[data-new-rig] input", "Workbench")
	act("button", "Add a rig")
	code := must(p.see("[data-code]", "-").Text())
	p.click("summary", "no zerokeel yet")
	got, err := http.Get(address + "/zerokeel")
	if err != nil {
		t.Fatal(err)
	}
	sum := sha256.New()
	_, err = io.Copy(sum, got.Body)
	_ = got.Body.Close()
	if said := *must(p.see("[data-fetch]", "").Attribute("data-fetch")); err != nil || said != hex.EncodeToString(sum.Sum(nil)) {
		t.Errorf("the program that machines get is not the one of the page's sum %s: %v", said, err)
	}
	dir := t.TempDir()
	wrong, err := exec.Command(program, "agent", "link", code[:len(code)-1]+"#", "--state", dir).CombinedOutput()
	if err == nil {
		t.Errorf("a mistyped code is taken: %s", wrong)
	}
	agent := exec.Command(program, "agent", "link", code, "--state", dir)
	if err := agent.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_ = agent.Process.Kill()
		_ = agent.Wait()
		removeRig(t, "Workbench")
	})
	p.see("[data-linking=waits]", `waits: [\s\S]*cores`)
	if err := p.Reload(); err != nil { // which takes the code from no machine that waits with it
		t.Fatal(err)
	}
	p.see("[data-linking=waits]", `waits: [\s\S]*cores`)
	act("button", "Take it in")
	p.see("[data-added=Workbench]", `linked: [\s\S]* figures a second`)
	act("main a", "Its first trial")
	act("button:not(:disabled)", "Start trial")
	p.see("h1", "Trial 1")
	if actions > 6 {
		t.Errorf("that took %d actions", actions)
	}
	p.click("button", "Stop")
	p.click("[role=alertdialog] button, [role=dialog] button", "Stop the trial")
	p.see("[data-verdict]", "stopped")
	p.click("nav[aria-label='Sheets'] a", "Rig")
	p.click("button", "Retire it")
	p.see("[data-retired=true]", "Put it back on the bench")
	p.click("nav[aria-label='Sheets'] a", "Fleet")
	p.see("main button", "1 retired")
}

// removeRig removes a rig that a test has added, with its records, so that others find the bench as it was.
func removeRig(t testing.TB, name string) {
	t.Helper()
	rig, _ := rigCalled(t, name)
	request := must(http.NewRequest("DELETE", fmt.Sprintf("%s/api/rigs/%d?name=%s", address, rig.Id, url.QueryEscape(name)), nil))
	if response, err := http.DefaultClient.Do(request); err != nil || response.StatusCode != 204 {
		t.Errorf("%s is not removed: %v %v", name, response, err)
	}
}

// TestJourneyPartMadeOnTheWay: while a rig is added, the sheet of its cooler is made like another, and is chosen then; what was typed
// before is still there.
func TestJourneyPartMadeOnTheWay(t *testing.T) {
	p := open(t, "/")
	p.click("nav a", "New rig")
	p.fill("[data-new-rig] input", "Half made")
	p.click("[data-new-rig] button", "^cooler$")
	p.click("[data-make=cooler] button", "Bluff Loop 240")
	p.fill("[data-field=id] input", "bluff-360")
	p.fill("[data-field=model] input", "Loop 360")
	p.see("[data-form=cooler][data-faults='0']", "")
	p.click("button", "Save sheet")
	t.Cleanup(func() { _ = try("DELETE", "/api/parts/cooler/bluff-360", nil, nil) })
	cooler := must(must(p.see("[data-new-rig]", "Cooler").ElementR("label", "Cooler")).Element("select"))
	if now := must(cooler.Property("value")).Str(); now != "bluff-360" {
		t.Errorf("chosen is %q", now)
	}
	if name := must(p.see("[data-new-rig] input", "").Property("value")).Str(); name != "Half made" {
		t.Errorf("of its name is left %q", name)
	}
}
