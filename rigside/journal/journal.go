// Package journal writes down what a rig is about to do before it does it, so that after a crash the rig can say what
// was running, and that it crashed at all. Each entry is a line of JSON, on the disk before Begin returns.
package journal

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"golang.org/x/sys/unix"

	"zerokeel/link"
)

// Journal is an open journal.
type Journal struct {
	path   string
	file   *os.File
	before []link.Unending
	boot   string // the last start of the machine that it tells of
	shut   bool   // which ended by a shutdown
	seen   int64  // when it was written to last, ms since 1970 UTC
	open   *link.Unending
}

type entry struct {
	Begin *link.Unending `json:"begin,omitempty"`
	End   string         `json:"end,omitempty"`
	Boot  string         `json:"boot,omitempty"` // the machine's start; the agent runs in it
	Shut  string         `json:"shut,omitempty"` // the machine's start, which is being shut down
}

// Open opens the journal of a folder, which is made if missing.
func Open(dir string) (*Journal, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("open the journal: %w", err)
	}
	j := &Journal{path: filepath.Join(dir, "journal.jsonl")}
	text, err := os.ReadFile(j.path)
	if err != nil && !os.IsNotExist(err) {
		return nil, fmt.Errorf("open the journal: %w", err)
	}
	j.read(text)
	info, missing := os.Stat(j.path)
	if missing == nil {
		j.seen = info.ModTime().UnixMilli()
	}
	if j.file, err = os.OpenFile(j.path, os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600); err != nil {
		return nil, fmt.Errorf("open the journal: %w", err)
	}
	if missing != nil {
		if err := Settle(dir); err != nil {
			return nil, fmt.Errorf("open the journal: %w", err)
		}
	}
	return j, nil
}

// Settle has the file system of a folder on its disk, with the names of its files. A file that is synced alone may lose its name: file
// systems of sticks keep no journal of their own.
func Settle(dir string) error {
	f, err := os.Open(dir)
	if err != nil {
		return err
	}
	return errors.Join(unix.Syncfs(int(f.Fd())), f.Close())
}

// read takes in the entries that begin and never end, and the machine's starts. A line that was cut off by a crash is
// passed over.
func (j *Journal) read(text []byte) {
	var open []link.Unending
	lines := bufio.NewScanner(bytes.NewReader(text))
	for lines.Scan() {
		var e entry
		if json.Unmarshal(lines.Bytes(), &e) != nil {
			continue
		}
		switch {
		case e.Boot != "":
			j.boot, j.shut = e.Boot, false
		case e.Shut != "" && e.Shut == j.boot:
			j.shut = true
		}
		if e.Begin != nil {
			open = append(open, *e.Begin)
		}
		for i := range open {
			if open[i].Order == e.End {
				open = append(open[:i], open[i+1:]...)
				break
			}
		}
	}
	j.before = open
}

// Booted writes down the start of the machine in which the agent runs, and tells of the start before if that did not end
// by a shutdown.
func (j *Journal) Booted(boot string) (*link.Crash, error) {
	if j.boot == boot {
		return nil, nil
	}
	var crash *link.Crash
	if j.boot != "" && !j.shut {
		crash = &link.Crash{BootID: j.boot, SeenAt: j.seen}
	}
	j.boot = boot
	return crash, j.write(entry{Boot: boot})
}

// Shut writes down that the machine is being shut down.
func (j *Journal) Shut() error { return j.write(entry{Shut: j.boot}) }

// Alive notes a sign of life, without waiting for the disk.
func (j *Journal) Alive(now time.Time) { _ = os.Chtimes(j.path, now, now) }

// Before returns what an earlier agent began and did not end.
func (j *Journal) Before() []link.Unending { return j.before }

// Begin writes down that an order is about to be run. The journal starts over with it: one order runs at a time.
func (j *Journal) Begin(u link.Unending) error {
	j.open = nil
	if err := j.found(); err != nil {
		return fmt.Errorf("write the journal: %w", err)
	}
	if err := j.file.Truncate(0); err != nil {
		return fmt.Errorf("write the journal: %w", err)
	}
	j.open = &u
	return j.writeAll()
}

// End writes down that an order ended.
func (j *Journal) End(order string) error {
	j.open = nil
	return j.write(entry{End: order})
}

// writeAll writes what a journal that starts over tells.
func (j *Journal) writeAll() error {
	var all []entry
	if j.boot != "" {
		all = append(all, entry{Boot: j.boot})
	}
	if j.open != nil {
		all = append(all, entry{Begin: j.open})
	}
	for _, e := range all {
		if err := j.append(e); err != nil {
			return err
		}
	}
	return nil
}

func (j *Journal) write(e entry) error {
	if err := j.found(); err != nil {
		return fmt.Errorf("write the journal: %w", err)
	}
	return j.append(e)
}

// found begins the journal anew where its folder was taken away: a stick that was pulled out, whose folder is in memory then.
func (j *Journal) found() error {
	now, err := os.Stat(j.path)
	was, other := j.file.Stat()
	if err == nil && other == nil && os.SameFile(now, was) {
		return nil
	}
	if err := os.MkdirAll(filepath.Dir(j.path), 0o700); err != nil {
		return err
	}
	f, err := os.OpenFile(j.path, os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_ = j.file.Close()
	j.file = f
	return j.writeAll()
}

func (j *Journal) append(e entry) error {
	line, err := json.Marshal(e)
	if err != nil {
		return fmt.Errorf("write the journal: %w", err)
	}
	// The line break first: whatever a crash left unfinished before is closed by it.
	if _, err := j.file.Write(append(append([]byte{'\n'}, line...), '\n')); err != nil {
		return fmt.Errorf("write the journal: %w", err)
	}
	if err := j.file.Sync(); err != nil {
		return fmt.Errorf("write the journal: %w", err)
	}
	return nil
}

// Close closes the journal.
func (j *Journal) Close() error { return j.file.Close() }
