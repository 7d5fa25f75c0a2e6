package e2e

import (
	"os/exec"
	"slices"
	"strings"
	"testing"

	"zerokeel/browser"
	"zerokeel/demo"
	"zerokeel/link"
)

// TestComingInToAGuardedBench: the first visitor becomes the owner by the server's code and gives a guest an account; the guest sees the
// rigs and changes nothing; the owner reads who did what; and whoever is logged out elsewhere is asked to come in again.
func TestComingInToAGuardedBench(t *testing.T) {
	g, err := demo.StartGuarded(t.Context(), program, dataDir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(g.Stop)
	visit := func(path string) page {
		t.Helper()
		b, err := browser.Start()
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(b.Close)
		p, err := b.Page(g.Address + path)
		if err != nil {
			t.Fatal(err)
		}
		return page{p.Timeout(patience), t}
	}
	const owners, guests = "lee shore and back", "of brass and rope"
	ada := visit("/rig/1/accounts")
	ada.see("h1", "no owner yet")
	fields := func(p page, texts ...string) {
		t.Helper()
		for i, text := range texts {
			if err := p.MustElements("form input")[i].Input(text); err != nil {
				t.Fatal(err)
			}
		}
	}
	fields(ada, "a guess", "Ada", owners)
	ada.click("button", "Become the owner")
	ada.see("[role=alert]", "not the code")
	ada.MustElements("form input")[0].MustSelectAllText().MustInput(g.Code)
	ada.click("button", "Become the owner")
	ada.see("[data-who=Ada]", "owner")
	ada.see("[data-account=Ada]", "everything")
	fields(ada, "Gus", "short")
	ada.see("aside select", "builder").MustSelect("guest")
	ada.click("aside button", "Give the account")
	ada.see("aside [role=alert]", "fewer than 10")
	ada.MustElements("aside input")[1].MustSelectAllText().MustInput(guests)
	ada.click("aside button", "Give the account")
	ada.see("[data-account=Gus]", "look, and change nothing")

	gus := visit("/rig/1/trim/1")
	gus.see("h1", "Come in")
	fields(gus, "gus", guests)
	gus.click("button", "Log in")
	gus.see("[data-who=Gus]", "guest")
	fit := gus.see("main button", "Fit|New trim")
	if on, err := fit.Property("disabled"); err != nil || !on.Bool() {
		t.Errorf("a guest may press %q", fit.MustText())
	}
	if found, _, _ := gus.HasR("nav a", "^Audit$"); found {
		t.Error("a guest is led to the audit")
	}

	ada.click("[data-who] a", "Audit")
	ada.see("[data-deed=refused]", "Give somebody an account")
	ada.see("[data-deed=done]", "Become the bench")
	ada.click("[data-who] a", "Accounts")
	ada.click("[data-account=Gus] button", "Change")
	ada.click("button", "Close the account")
	ada.see("[data-account=Gus]", "nobody logs in")
	if err := gus.Reload(); err != nil { // his page may have found out by itself
		t.Fatal(err)
	}
	gus.see("h1", "Come in")
	ada.linksByCode()
	ada.click("[data-who] button", "Log out")
	ada.see("h1", "Come in")
}

// linksByCode adds a rig and links this computer to it by its code, which tells by what the server is known: one that tells of another
// server is refused.
func (p page) linksByCode() {
	p.t.Helper()
	p.click("nav a", "New rig")
	p.fill("[data-new-rig] input", "Lee side")
	p.click("button", "Add a rig")
	code := must(link.ParseCode(must(p.see("[data-code]", "-").Text())))
	p.click("summary", "no system")
	p.see("[data-stick=none] button:not(:disabled)", "Make a bench stick")
	dir := p.t.TempDir()
	other := code
	other.Pin = slices.Clone(code.Pin)
	other.Pin[0] ^= 1
	out, err := exec.Command(program, "agent", "link", other.String(), "--state", dir).CombinedOutput()
	if err == nil || !strings.Contains(string(out), "not the one of the fingerprint") {
		p.t.Errorf("a code of another server: %v: %s", err, out)
	}
	agent := exec.Command(program, "agent", "link", code.String(), "--state", dir)
	if err := agent.Start(); err != nil {
		p.t.Fatal(err)
	}
	p.t.Cleanup(func() {
		_ = agent.Process.Kill()
		_ = agent.Wait()
		removeRig(p.t, "Lee side")
	})
	p.see("[data-linking=waits]", "waits: ")
	p.click("button", "Take it in")
	p.see("[data-added='Lee side']", `linked: [\s\S]* figures a second`)
}
