// Package spool keeps a rig's frames on disk until the server has acknowledged them, so that an agent that is killed
// while the server is away loses nothing. Each stream has a file of its own: a line that says whose it is, and a line of
// JSON for each frame.
package spool

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"

	"zerokeel/link"
)

// Bound is the size in bytes past which the figures of further frames are given up; what happened is always kept.
const Bound = 256 << 20

// Head says whose frames a file holds.
type Head struct {
	Stream string `json:"stream"`
	BootID string `json:"bootId"`
}

// Spool keeps the frames of one stream. It is not safe for concurrent use.
type Spool struct {
	file  file
	path  string
	head  Head
	size  int64
	bound int64
	last  uint64 // number of the last frame kept
}

type file interface {
	io.WriteCloser
	Truncate(size int64) error
	Sync() error
}

// Open starts the spool of a new stream in a folder, which is made if missing.
func Open(dir string, head Head) (*Spool, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("open the spool: %w", err)
	}
	s := &Spool{path: filepath.Join(dir, "spool-"+head.Stream+".jsonl"), head: head, bound: Bound}
	f, err := os.OpenFile(s.path, os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return nil, fmt.Errorf("open the spool: %w", err)
	}
	s.file = f
	return s, nil
}

// Keep writes a frame. One that tells what happened is on the disk when Keep returns; figures may still be on their way.
// An error means that the frame is not kept: it is still sent, but would not outlive the agent.
func (s *Spool) Keep(f link.Frame) error {
	if err := s.found(); err != nil {
		return fmt.Errorf("write the spool: %w", err)
	}
	weighty := f.Started != nil || f.Finished != nil || len(f.Events) > 0
	if s.size > s.bound {
		f.Samples = nil
	}
	line, err := json.Marshal(f)
	if err != nil {
		return fmt.Errorf("write the spool: %w", err)
	}
	if s.size == 0 {
		head, err := json.Marshal(s.head)
		if err != nil {
			return fmt.Errorf("write the spool: %w", err)
		}
		line = append(append(head, '\n'), line...)
	}
	// The line break first: whatever a full disk left unfinished before is closed by it.
	line = append(append([]byte{'\n'}, line...), '\n')
	n, err := s.file.Write(line)
	s.size += int64(n)
	if err == nil && weighty {
		err = s.file.Sync()
	}
	if err != nil {
		return fmt.Errorf("write the spool: %w", err)
	}
	s.last = f.Seq
	return nil
}

// found begins the file anew where its folder was taken away, as a stick is that is pulled out. What it held until then is sent, but would
// not outlive the agent.
func (s *Spool) found() error {
	open, is := s.file.(*os.File)
	if !is {
		return nil
	}
	now, err := os.Stat(s.path)
	was, other := open.Stat()
	if err == nil && other == nil && os.SameFile(now, was) {
		return nil
	}
	again, err := Open(filepath.Dir(s.path), s.head)
	if err != nil {
		return err
	}
	_ = open.Close()
	s.file, s.size = again.file, 0
	return nil
}

// Drop forgets the frames up to a number, which the server holds. The file empties when it holds nothing else.
func (s *Spool) Drop(seq uint64) error {
	if s.size == 0 || seq < s.last {
		return nil
	}
	if err := s.found(); err != nil {
		return fmt.Errorf("empty the spool: %w", err)
	}
	if err := s.file.Truncate(0); err != nil {
		return fmt.Errorf("empty the spool: %w", err)
	}
	s.size = 0
	return nil
}

// Close closes the file, and removes it when nothing is left in it.
func (s *Spool) Close() error {
	if s.size == 0 {
		_ = os.Remove(s.path)
	}
	return s.file.Close()
}

// Left is what an earlier agent could not deliver.
type Left struct {
	Head
	Frames []link.Frame
	path   string
}

// Remove takes what was delivered off the disk.
func (l *Left) Remove() error { return os.Remove(l.path) }

// Leftovers reads what earlier agents left in a folder, the oldest first. Files without a frame are removed.
func Leftovers(dir string) ([]Left, error) {
	paths, err := filepath.Glob(filepath.Join(dir, "spool-*.jsonl"))
	if err != nil {
		return nil, fmt.Errorf("read the spool: %w", err)
	}
	written := func(path string) int64 {
		info, err := os.Stat(path)
		if err != nil {
			return 0
		}
		return info.ModTime().UnixNano()
	}
	slices.SortFunc(paths, func(a, b string) int { return int(min(1, max(-1, written(a)-written(b)))) })
	var out []Left
	for _, path := range paths {
		text, err := os.ReadFile(path)
		if err != nil {
			return nil, fmt.Errorf("read the spool: %w", err)
		}
		left := Parse(text)
		left.path = path
		if len(left.Frames) == 0 {
			if err := left.Remove(); err != nil && !errors.Is(err, os.ErrNotExist) {
				return nil, fmt.Errorf("read the spool: %w", err)
			}
			continue
		}
		out = append(out, left)
	}
	return out, nil
}

// Parse reads a spool file. Lines that a crash cut off are passed over, and so is every frame that does not follow on the
// one before: the server would refuse it.
func Parse(text []byte) Left {
	var left Left
	lines := bufio.NewScanner(bytes.NewReader(text))
	lines.Buffer(nil, 2*link.MaxMessage)
	for lines.Scan() {
		if len(lines.Bytes()) == 0 {
			continue
		}
		var head Head
		if left.Stream == "" {
			if json.Unmarshal(lines.Bytes(), &head) == nil && head.Stream != "" && head.BootID != "" {
				left.Head = head
			}
			continue
		}
		var f link.Frame
		if json.Unmarshal(lines.Bytes(), &f) != nil || f.Seq == 0 {
			continue
		}
		if n := len(left.Frames); n > 0 && f.Seq != left.Frames[n-1].Seq+1 {
			continue
		}
		if _, err := link.Encode(link.Message{Frame: &f}); err == nil {
			left.Frames = append(left.Frames, f)
		}
	}
	return left
}
