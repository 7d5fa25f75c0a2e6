// Package browser starts Debian's Chromium, headless, for the tests in a real browser and for the pictures of the
// documentation.
package browser

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/launcher"
	"github.com/go-rod/rod/lib/launcher/flags"
	"github.com/go-rod/rod/lib/proto"
)

// ErrNotInstalled reports that Chromium is missing.
var ErrNotInstalled = errors.New("chromium is not installed; run ./keel install, or apt-get install chromium")

// Size of every page, in CSS pixels.
const (
	Width  = 1280
	Height = 800
)

// Timeout bounds every action on a page.
const Timeout = 30 * time.Second

// Browser is a running browser.
type Browser struct {
	rod     *rod.Browser
	launch  *launcher.Launcher
	profile string
}

// Start runs a browser with a profile of its own.
func Start() (*Browser, error) {
	bin, err := exec.LookPath("chromium")
	if err != nil {
		return nil, ErrNotInstalled
	}
	profile, err := os.MkdirTemp("", "zk-browser")
	if err != nil {
		return nil, fmt.Errorf("start the browser: %w", err)
	}
	l := launcher.New().Bin(bin).Headless(false).Set(flags.Headless, "new").Leakless(true).UserDataDir(profile).
		Set("no-sandbox").Set("disable-gpu").Set("disable-quic").Set("no-first-run").Set("hide-scrollbars").
		Set("disable-background-networking").Set("disable-component-update").Set("disable-sync").
		Set("ignore-certificate-errors") // of a guarded server's own authority; nothing else is opened
	address, err := l.Launch()
	if err != nil {
		_ = os.RemoveAll(profile)
		return nil, fmt.Errorf("start the browser: %w", err)
	}
	b := &Browser{rod: rod.New().ControlURL(address).NoDefaultDevice(), launch: l, profile: profile}
	if err := b.rod.Connect(); err != nil {
		b.Close()
		return nil, fmt.Errorf("reach the browser: %w", err)
	}
	return b, nil
}

// Page opens an address in a new tab.
func (b *Browser) Page(address string) (*rod.Page, error) {
	page, err := b.rod.Page(proto.TargetCreateTarget{URL: "about:blank"})
	if err != nil {
		return nil, fmt.Errorf("open a tab: %w", err)
	}
	if err := page.SetViewport(&proto.EmulationSetDeviceMetricsOverride{Width: Width, Height: Height, DeviceScaleFactor: 1}); err != nil {
		return nil, fmt.Errorf("size a tab: %w", err)
	}
	if err := page.Timeout(Timeout).Navigate(address); err != nil {
		return nil, fmt.Errorf("open %s: %w", address, err)
	}
	return page, nil
}

// Close ends the browser and removes its profile.
func (b *Browser) Close() {
	_ = b.rod.Close()
	b.launch.Kill()
	b.launch.Cleanup()
	_ = os.RemoveAll(b.profile)
}
