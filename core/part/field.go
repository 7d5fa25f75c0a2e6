package part

import (
	"fmt"
	"math"

	"zerokeel/core/invalid"
)

// Field is a figure of a sheet, or of a row of one of its tables: what it is called and tells, in which unit it stands and within what it
// may lie. Sheets are checked by the same.
type Field struct {
	Path     string   `json:"path"`  // in the sheet, such as "limits.pptW"; in a table, below its row
	Group    string   `json:"group"` // of fields that belong together
	Label    string   `json:"label"`
	Unit     string   `json:"unit,omitempty"`
	Help     string   `json:"help,omitempty"`
	Min      float64  `json:"min"`
	Max      float64  `json:"max"`
	Type     Type     `json:"type"`
	Choices  []string `json:"choices,omitempty"`
	Optional bool     `json:"optional,omitempty"` // left out, it is not known, not there, or usual
	Style    Style    `json:"style,omitempty"`    // of processors whose limits are of this style alone
}

// Type says what a field holds.
type Type string

const (
	ANumber Type = "number"
	AWhole  Type = "whole"
	AWord   Type = "word"
	AWords  Type = "words"  // several, in their order
	AChoice Type = "choice" // one of the field's choices
	AFlag   Type = "flag"
)

// Table is a list of a sheet, whose rows have fields of their own.
type Table struct {
	Path    string  `json:"path"`
	Group   string  `json:"group"`
	Label   string  `json:"label"`
	Help    string  `json:"help,omitempty"`
	Columns []Field `json:"columns"`
	Least   int     `json:"least"` // rows
	Most    int     `json:"most"`
	Fixed   bool    `json:"fixed,omitempty"` // rows are neither added nor taken away here
}

// Form is what a sheet of a kind holds, in the order in which a person fills it in. Groups that may be left out as a whole stand in Whole,
// by the path of what is left out.
type Form struct {
	Fields []Field           `json:"fields"`
	Tables []Table           `json:"tables"`
	Whole  map[string]string `json:"whole"` // group, by path
}

// FormOf returns the form of a kind of sheet; false for none.
func FormOf(kind Kind) (Form, bool) {
	switch kind {
	case KindProcessor:
		return Form{fieldsOf(processorNames, processorFigures), processorTables, map[string]string{"ring": "Ring"}}, true
	case KindBoard:
		return Form{fieldsOf(nameFields, boardFigures), boardTables, map[string]string{}}, true
	case KindCooler:
		return Form{coolerFields(), coolerTables, map[string]string{"pump": "Pump"}}, true
	case KindMemory:
		return Form{fieldsOf(nameFields, memoryFigures), []Table{}, map[string]string{}}, true
	}
	return Form{}, false
}

// nameFields are those by which every sheet is known.
var nameFields = []Field{
	{Path: "id", Group: "Name", Label: "Id", Type: AWord, Help: "lower-case letters, digits and -, unique among the sheets of its kind"},
	{Path: "maker", Group: "Name", Label: "Maker", Type: AWord, Optional: true},
	{Path: "model", Group: "Name", Label: "Model", Type: AWord},
	{Path: "source", Group: "Name", Label: "Its figures are", Type: AChoice, Optional: true,
		Choices: []string{string(Entered), string(Measured), string(Sketched), string(Running),
			string(MeasuredSystem)},
		Help: "of a sketch no figure counts, and nothing is forecast from it; say entered once its figures are"},
}

// figure is a numeric field with where it stands in a sheet: NaN where what holds it is left out.
type figure[T any] struct {
	Field
	of func(*T) float64
}

func fieldsOf[T any](names []Field, list []figure[T]) []Field {
	out := append([]Field{}, names...)
	for i := range list {
		one := list[i].Field
		if one.Type == "" {
			one.Type = ANumber
		}
		out = append(out, one)
	}
	return out
}

// within lists the figures of a sheet that are out of their range.
func within[T any](f *invalid.List, sheet *T, list []figure[T], style Style) {
	for i := range list {
		one := &list[i]
		x := one.of(sheet)
		if math.IsNaN(x) || one.Style != "" && one.Style != style || one.Optional && x == 0 {
			continue
		}
		if !(x >= one.Min && x <= one.Max) {
			remedy := fmt.Sprintf("give %g to %g %s", one.Min, one.Max, one.Unit)
			if one.Optional {
				remedy += ", or leave it out"
			}
			f.Add(one.Path, remedy, "%g %s is out of range", x, one.Unit)
		}
	}
}
