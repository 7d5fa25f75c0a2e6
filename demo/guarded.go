package demo

import (
	"bufio"
	"context"
	"fmt"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"

	"zerokeel/mariadb"
)

// Guarded is a second server on the database of a demo that runs, as it is run for a shop's network: over TLS, for those who log in.
type Guarded struct {
	Address     string
	Fingerprint string // by what agents know it
	Code        string // that the first owner shows; empty where there is one
	cmd         *exec.Cmd
}

// StartGuarded starts such a server on the demo in a folder. It ends with the context, or this process.
func StartGuarded(ctx context.Context, program, dir string) (*Guarded, error) {
	cmd := exec.CommandContext(ctx, program, "serve", "--guarded", "--listen", "127.0.0.1:0", "--keys", filepath.Join(dir, "keys"),
		"--dsn", mariadb.DSN(filepath.Join(dir, "db"), database))
	cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, fmt.Errorf("start a guarded server: %w", err)
	}
	if err := cmd.Start(); err != nil {
		return nil, fmt.Errorf("start a guarded server: %w", err)
	}
	g := &Guarded{cmd: cmd}
	for lines := bufio.NewScanner(out); g.Fingerprint == "" && lines.Scan(); {
		line := lines.Text()
		for words, into := range map[string]*string{"serving on ": &g.Address,
			"nobody owns this bench yet: open the page, and enter the code ": &g.Code,
			"agents know this server by --fingerprint ":                      &g.Fingerprint} {
			if rest, found := strings.CutPrefix(line, words); found {
				*into = rest
			}
		}
	}
	if g.Fingerprint == "" {
		return nil, fmt.Errorf("a guarded server does not start: %w", cmd.Wait())
	}
	return g, nil
}

// Stop ends it.
func (g *Guarded) Stop() {
	_ = g.cmd.Process.Signal(syscall.SIGTERM)
	_ = g.cmd.Wait()
}
