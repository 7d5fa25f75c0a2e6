// Package part holds part sheets: the data of a processor, board, cooler and memory kit, as their makers
// state them or a builder measured them. A sheet describes the model, never one chip: how far one chip
// strays from its sheet is found on the rig.
//
// Sheets are JSON with the fields documented in docs/file-formats.md. Units stand in the field names.
package part

import (
	"encoding/json"
	"fmt"

	"zerokeel/core/invalid"
)

// Format marks a file of part sheets; a sheet of a newer format is refused.
const Format = "zerokeel.parts/1"

// Kind says what a sheet describes.
type Kind string

const (
	KindProcessor Kind = "processor"
	KindBoard     Kind = "board"
	KindCooler    Kind = "cooler"
	KindMemory    Kind = "memory"
)

// Kinds lists every kind of sheet.
var Kinds = []Kind{KindProcessor, KindBoard, KindCooler, KindMemory}

// Name is how a part is called, and where its sheet comes from.
type Name struct {
	ID     string `json:"id"`    // lower-case key, unique among the sheets of its kind
	Maker  string `json:"maker"` // empty is allowed
	Model  string `json:"model"`
	Source Source `json:"source,omitempty"`
}

// Source says where a sheet's figures come from.
type Source string

// Entered sheets were stated by a maker or a builder. Sketched ones were made from what is told of a machine: its cores, threads, clocks
// and settings; every figure beside these is a placeholder that keeps the sheet whole, and nothing is forecast from it. A board's sheet
// may be that of a running system, which is a sketch too. Measured sheets were found by what a machine showed as it was measured up.
const (
	Entered  Source = ""
	Sketched Source = "sketch"
	Running  Source = "running system"
	Measured Source = "measured"

	MeasuredSystem Source = "measured running system" // the sheet of a running system, with figures that were measured
)

// OfSystem reports whether a board's sheet is that of a running system.
func (n Name) OfSystem() bool { return n.Source == Running || n.Source == MeasuredSystem }

// isSketch reports whether no more is known than what a sketch tells.
func (n Name) isSketch() bool { return n.Source == Sketched || n.Source == Running }

// mostModel is how long the name of a model may be.
const mostModel = 80

func (n Name) String() string {
	if n.Maker == "" {
		return n.Model
	}
	return n.Maker + " " + n.Model
}

func (n Name) validate(f *invalid.List) {
	if !validID(n.ID) {
		f.Add("id", "use lower-case letters, digits and '-', 2 to 40 characters", "%q is no sheet id", n.ID)
	}
	if n.Source != Entered && n.Source != Sketched && n.Source != Running && n.Source != Measured && n.Source != MeasuredSystem {
		f.Add("source", "leave it out, or use \"sketch\", \"running system\" or \"measured\"", "%q is no source of sheets", n.Source)
	}
	if n.Model == "" || len(n.Model) > mostModel {
		f.Add("model", fmt.Sprintf("give 1 to %d characters", mostModel), "the model's name is missing or too long")
	}
}

func validID(id string) bool {
	if len(id) < 2 || len(id) > 40 {
		return false
	}
	for _, c := range id {
		if (c < 'a' || c > 'z') && (c < '0' || c > '9') && c != '-' {
			return false
		}
	}
	return true
}

// Set is the parts of one rig.
type Set struct {
	Format    string     `json:"format,omitempty"`
	Processor *Processor `json:"processor"`
	Board     *Board     `json:"board"`
	Cooler    *Cooler    `json:"cooler"`
	Memory    *Memory    `json:"memory"`
}

// Sketched reports whether a sheet of the set that forecasts rest on is a sketch.
func (s *Set) Sketched() bool {
	return s.Processor.isSketch() || s.Board.isSketch() || s.Cooler.isSketch()
}

// ParseSet reads a file with the four sheets of a rig. The error is a invalid.List.
func ParseSet(text []byte) (*Set, error) {
	var set Set
	if faults := invalid.Decode(text, &set); len(faults) > 0 {
		return nil, faults
	}
	if err := set.Validate(); err != nil {
		return nil, err
	}
	return &set, nil
}

// Validate lists every fault of the set: of each sheet, and of the sheets with each other.
func (s *Set) Validate() error {
	var f invalid.List
	if s.Format != "" && s.Format != Format {
		f.Add("format", "this version reads "+Format, "%q is not a format known here", s.Format)
	}
	type sheet struct {
		kind    Kind
		missing bool
		check   func() invalid.List
	}
	for _, one := range []sheet{
		{KindProcessor, s.Processor == nil, func() invalid.List { return s.Processor.Validate() }},
		{KindBoard, s.Board == nil, func() invalid.List { return s.Board.Validate() }},
		{KindCooler, s.Cooler == nil, func() invalid.List { return s.Cooler.Validate() }},
		{KindMemory, s.Memory == nil, func() invalid.List { return s.Memory.Validate() }},
	} {
		if one.missing {
			f.Add(string(one.kind), "add the sheet", "the %s sheet is missing", one.kind)
			continue
		}
		f = append(f, one.check().Under(string(one.kind))...)
	}
	return f.Err()
}

// ParseSheet reads one sheet of the given kind and returns it as *Processor, *Board, *Cooler or *Memory.
// The error is a invalid.List.
func ParseSheet(kind Kind, text []byte) (any, error) {
	sheet, err := ReadSheet(kind, text)
	if err != nil {
		return nil, err
	}
	return sheet, nil
}

// ReadSheet reads a sheet as ParseSheet does, and returns it with its faults, too; nil where it cannot be read at all.
func ReadSheet(kind Kind, text []byte) (any, error) {
	var into interface{ Validate() invalid.List }
	switch kind {
	case KindProcessor:
		into = new(Processor)
	case KindBoard:
		into = new(Board)
	case KindCooler:
		into = new(Cooler)
	case KindMemory:
		into = new(Memory)
	default:
		var f invalid.List
		f.Add("kind", "use processor, board, cooler or memory", "%q is no kind of part", kind)
		return nil, f
	}
	if faults := invalid.Decode(text, into); len(faults) > 0 {
		return nil, faults
	}
	return into, into.Validate().Err()
}

// MarshalSet writes a set as ParseSet reads it.
func MarshalSet(s *Set) ([]byte, error) {
	out := *s
	out.Format = Format
	text, err := json.MarshalIndent(&out, "", "  ")
	if err != nil {
		return nil, fmt.Errorf("write part sheets: %w", err)
	}
	return text, nil
}

// NameOf returns the name of a sheet of any kind, as ParseSheet returns it.
func NameOf(sheet any) Name {
	switch p := sheet.(type) {
	case *Processor:
		return p.Name
	case *Board:
		return p.Name
	case *Cooler:
		return p.Name
	case *Memory:
		return p.Name
	}
	return Name{}
}
