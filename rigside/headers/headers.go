// Package headers sets the duty of a machine's fan headers through the kernel's own interface, and gives each back to the board
// afterwards, whatever happens to the program meanwhile.
package headers

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"zerokeel/link"
	"zerokeel/rigside/sensors"
)

// Header is one whose duty can be set.
type Header struct {
	link.Header
	file string // below the root: pwm1 of a chip; pwm1_enable beside it says who drives it
}

// full is the kernel's figure for a duty of 100 %, and byHand what it takes to be allowed to set one.
const (
	full   = 255.0
	byHand = "1"
)

// Find lists the headers below root, the machine's file tree, that can be taken from the board and given back.
func Find(root fs.FS) []Header {
	var out []Header
	for _, s := range sensors.Duties(root) {
		if _, err := fs.Stat(root, s.File+"_enable"); err == nil {
			out = append(out, Header{link.Header{Key: s.Channel.Key, Label: s.Channel.Label}, s.File})
		}
	}
	return out
}

// Files is how the kernel's files are written: below "/" on a machine.
type Files func(name, text string) error

// OnDisk writes below a folder.
func OnDisk(root string) Files {
	return func(name, text string) error { return os.WriteFile(filepath.Join(root, name), []byte(text), 0o644) }
}

// Keeper takes headers from the board and gives them back. What a header was set to is on disk before it is touched, so that the next
// start gives back what a killed program left.
type Keeper struct {
	root  fs.FS
	write Files
	note  string // the file that says what is taken
}

// taken is a header as the board had it.
type taken struct {
	File   string `json:"file"`
	Enable string `json:"enable"`
	Duty   string `json:"duty"`
}

// NewKeeper gives back what an earlier program left, as far as its note in stateDir tells.
func NewKeeper(root fs.FS, write Files, stateDir string) (*Keeper, error) {
	k := &Keeper{root, write, filepath.Join(stateDir, "header.json")}
	text, err := os.ReadFile(k.note)
	if errors.Is(err, fs.ErrNotExist) {
		return k, nil
	} else if err != nil {
		return nil, fmt.Errorf("read which header was taken: %w", err)
	}
	var was taken
	if err := json.Unmarshal(text, &was); err != nil || !slices.ContainsFunc(Find(root), func(h Header) bool { return h.file == was.File }) {
		return k, os.Remove(k.note) // nothing that could be given back
	}
	return k, k.giveBack(was)
}

// Take takes a header from the board. set sets its duty, in percent; back gives it back, and may be called again.
func (k *Keeper) Take(h Header) (set func(duty float64) error, back func() error, err error) {
	was := taken{File: h.file}
	for name, into := range map[string]*string{h.file: &was.Duty, h.file + "_enable": &was.Enable} {
		text, err := fs.ReadFile(k.root, name)
		if err != nil {
			return nil, nil, fmt.Errorf("read header %s: %w", h.Label, err)
		}
		*into = strings.TrimSpace(string(text))
	}
	note, err := json.Marshal(was)
	if err == nil {
		err = os.WriteFile(k.note, note, 0o600)
	}
	if err != nil {
		return nil, nil, fmt.Errorf("note which header is taken: %w", err)
	}
	if err := k.write(was.File+"_enable", byHand); err != nil {
		return nil, nil, errors.Join(fmt.Errorf("take header %s: %w", h.Label, err), k.giveBack(was))
	}
	set = func(duty float64) error {
		if err := k.write(was.File, strconv.Itoa(int(duty/100*full+0.5))); err != nil {
			return fmt.Errorf("set header %s: %w", h.Label, err)
		}
		return nil
	}
	return set, func() error { return k.giveBack(was) }, nil
}

// giveBack lets the board drive a header as it did; one that stood at a duty by hand is set to it.
func (k *Keeper) giveBack(was taken) error {
	var err error
	if was.Enable == byHand {
		err = k.write(was.File, was.Duty)
	}
	err = errors.Join(err, k.write(was.File+"_enable", was.Enable))
	if err != nil {
		return fmt.Errorf("give %s back to the board: %w", path.Base(was.File), err)
	}
	return os.Remove(k.note)
}
