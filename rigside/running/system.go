// Package running sets what a running system lets be set of its machine, through the kernel's documented interfaces: cores on and off,
// SMT, bounds of the clock, boost, energy preference, idle states, power limits with their window, and fan curves. It says what there is
// in the words of a board's sheet, takes an order whole or not at all, and puts back what it found. All of it is lost when the machine
// starts anew.
package running

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"sync"

	"zerokeel/core/invalid"
	"zerokeel/core/part"
	"zerokeel/link"
	"zerokeel/rigside/headers"
	"zerokeel/rigside/sensors"
)

// System is a machine's running system. Its methods may be called at once.
type System struct {
	finder
	note string // the file that says what was found, and what is about to be changed

	mu       sync.Mutex
	settings []part.BoardSetting
	offered  []*attribute // in the order in which they are set
	found    map[string]any
}

// attribute is one thing that can be set. Values are whole numbers, or one of its positions.
type attribute struct {
	name  string
	phase phase
	get   func() (any, bool) // false where the system does not tell at the moment
	set   func(any) error
	check func(any) string    // why a value is not taken, "" if it is
	near  func(a, b int) bool // whether the kernel, asked for a, may show b for it; nil where it shows what it was asked for
	asked shown
}

// shown is what an attribute was set to last, and what the kernel showed for it; nil where that was the same, or something else.
type shown struct {
	As any `json:"as"`
	Is any `json:"is"`
}

// phase is when in an order an attribute is set: cores wake first, so that the rest of what belongs to them is there, and sleep last.
type phase int

const (
	threads phase = iota
	wakes
	plain
)

// notes are on the disk before anything is changed.
type notes struct {
	Boot    string           `json:"boot"`
	Found   map[string]any   `json:"found"`             // before the first order since the machine's start
	Halfway map[string]any   `json:"halfway,omitempty"` // as it was before an order that is being carried out
	Asked   map[string]shown `json:"asked,omitempty"`
}

// Find looks for what can be set below root, the machine's file tree. What an agent that was killed in the midst of an order left is put
// back; what was found at this start of the machine, boot, is remembered in stateDir.
func Find(root fs.FS, write headers.Files, cores []sensors.Core, stateDir, boot string) (*System, error) {
	s := &System{finder: finder{root, write, cores}, note: filepath.Join(stateDir, "running.json"), found: map[string]any{}}
	s.findThreads()
	s.findCores()
	s.findClocks()
	s.findIdle()
	s.findLimits()
	s.findFan()
	slices.SortStableFunc(s.offered, func(a, b *attribute) int { return int(a.phase - b.phase) })
	before, err := s.read()
	if err != nil {
		return nil, err
	}
	if before.Boot == boot {
		maps.Copy(s.found, numbers(before.Found))
		for _, a := range s.offered {
			if x, known := before.Asked[a.name]; known {
				a.asked = shown{number(x.As), number(x.Is)}
			}
		}
		if len(before.Halfway) > 0 {
			_, err = s.apply(numbers(before.Halfway), nil)
		}
	}
	for _, a := range s.offered {
		if _, known := s.found[a.name]; !known {
			if v, tells := a.value(); tells {
				s.found[a.name] = v
			}
		}
	}
	return s, errors.Join(err, s.keep(notes{Boot: boot, Found: s.found, Asked: s.rounded()}))
}

// offer adds a setting that the running system offers, with its attributes, one for each index.
func (s *System) offer(entry part.BoardSetting, list ...*attribute) {
	if len(list) == 0 {
		return
	}
	s.settings = append(s.settings, entry)
	s.offered = append(s.offered, list...)
}

// Offer says what can be set, how it stands now, and how it was found.
func (s *System) Offer() link.Offer {
	s.mu.Lock()
	defer s.mu.Unlock()
	now := map[string]any{}
	for _, a := range s.offered {
		if v, tells := a.value(); tells {
			now[a.name] = v
		}
	}
	return link.Offer{Settings: slices.Clone(s.settings), Now: now, Found: maps.Clone(s.found), Cores: s.told()}
}

// Set takes values by attribute: all of them, or none where one is not taken. The error is an invalid.List that names attributes.
func (s *System) Set(values map[string]any) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	values = numbers(values)
	var faults invalid.List
	for _, name := range slices.Sorted(maps.Keys(values)) {
		at := slices.IndexFunc(s.offered, func(a *attribute) bool { return a.name == name })
		if at < 0 {
			faults.Add(name, "make the sheet anew from what the machine offers", "the running system offers no such thing")
		} else if why := s.offered[at].check(values[name]); why != "" && values[name] != s.found[name] { // boards go beyond any bounds
			faults.Add(name, "choose what the machine takes", "%s", why)
		}
	}
	if len(faults) > 0 {
		return faults
	}
	was, err := s.read()
	if err != nil {
		return err
	}
	was.Halfway = map[string]any{}
	for _, a := range s.offered {
		if _, asked := values[a.name]; asked {
			if v, tells := a.value(); tells {
				was.Halfway[a.name] = v
			}
		}
	}
	if err := s.keep(was); err != nil {
		return err
	}
	whole, err := s.apply(values, was.Halfway)
	if whole { // else the agent's next start tries once more to put it back
		was.Halfway, was.Asked = nil, s.rounded()
	}
	return errors.Join(err, s.keep(was))
}

// Restore puts everything back as it was found at this start of the machine.
func (s *System) Restore() error { return s.Set(s.found) }

// apply sets attributes that stand otherwise, in their order, and puts back what it changed where one fails: back tells how it was. It is
// whole where all of it was done, or none.
func (s *System) apply(values, back map[string]any) (whole bool, err error) {
	var done []*attribute
	for _, a := range s.inOrder(values) {
		if now, tells := a.value(); tells && now == values[a.name] {
			continue
		}
		done = append(done, a)
		err := a.to(values[a.name])
		if err == nil {
			continue
		}
		faults := invalid.List{{Field: a.name, Problem: fmt.Sprintf("the running system refuses: %v", err),
			Remedy: "start the agent as root, or leave this as it is; nothing was changed"}}
		whole = true
		for _, one := range slices.Backward(done) {
			if was, known := back[one.name]; known {
				err := one.to(was)
				if v, _ := one.value(); err != nil && v != was { // what refuses may stand as it was all the same
					whole = false
					faults.Add(one.name, "start the machine anew, which puts everything back", "nor can it be put back: %v", err)
				}
			}
		}
		return whole, faults
	}
	return true, nil
}

// inOrder lists the attributes of an order as they are set.
func (s *System) inOrder(values map[string]any) (out []*attribute) {
	for _, a := range s.offered {
		v, asked := values[a.name]
		if asked && (a.phase != wakes || v == on) {
			out = append(out, a)
		}
	}
	for _, a := range s.offered {
		if v, asked := values[a.name]; asked && a.phase == wakes && v != on {
			out = append(out, a)
		}
	}
	return out
}

func (s *System) read() (n notes, err error) {
	text, err := os.ReadFile(s.note)
	if errors.Is(err, fs.ErrNotExist) {
		return notes{}, nil
	}
	if err == nil && json.Unmarshal(text, &n) != nil {
		n = notes{} // cut off: nothing had been changed by then
	}
	return n, err
}

func (s *System) keep(n notes) error {
	text, err := json.Marshal(n)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(s.note), 0o700); err != nil {
		return err
	}
	fresh := s.note + ".new"
	f, err := os.OpenFile(fresh, os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
	if err == nil {
		_, err = f.Write(text)
		err = errors.Join(err, f.Sync(), f.Close())
	}
	if err == nil {
		err = os.Rename(fresh, s.note)
	}
	if err != nil {
		return fmt.Errorf("note what the running system is set to: %w", err)
	}
	return nil
}

// value tells how an attribute stands: as it was asked for, while the kernel shows what it showed then.
func (a *attribute) value() (any, bool) {
	v, tells := a.get()
	if tells && a.asked.As != nil && a.asked.Is == v {
		return a.asked.As, true
	}
	return v, tells
}

// to sets an attribute. Where the kernel rounds, what it shows for it counts as what was asked.
func (a *attribute) to(v any) error {
	if err := a.set(v); err != nil {
		return err
	}
	a.asked = shown{}
	if is, tells := a.get(); tells && a.near != nil && is != v {
		asked, _ := v.(int)
		if shows, whole := is.(int); whole && a.near(asked, shows) {
			a.asked = shown{v, is}
		}
	}
	return nil
}

// rounded lists what the kernel shows otherwise than it was asked.
func (s *System) rounded() map[string]shown {
	out := map[string]shown{}
	for _, a := range s.offered {
		if a.asked.As != nil {
			out[a.name] = a.asked
		}
	}
	return out
}

// numbers makes whole numbers of those that came through JSON.
func numbers(values map[string]any) map[string]any {
	out := make(map[string]any, len(values))
	for name, v := range values {
		out[name] = number(v)
	}
	return out
}

func number(v any) any {
	if x, ok := v.(float64); ok && x == float64(int(x)) {
		return int(x)
	}
	return v
}
