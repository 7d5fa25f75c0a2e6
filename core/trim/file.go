package trim

import (
	"encoding/json"
	"fmt"
	"unicode/utf8"

	"zerokeel/core/invalid"
	"zerokeel/core/part"
)

// Format marks a trim file.
const Format = "zerokeel.trim/1"

// Lengths of a trim's name and reason.
const (
	maxName   = 80
	maxReason = 2000
)

// File is a trim as it stands in a .trim.json file. Settings not named keep the board's value as delivered.
type File struct {
	Format   string   `json:"format"`
	Name     string   `json:"name"`
	Reason   string   `json:"reason,omitempty"`
	For      For      `json:"for"`
	Settings Settings `json:"settings"`
}

// For names the parts that a trim was made for, by sheet id.
type For struct {
	Processor string `json:"processor"`
	Board     string `json:"board"`
}

// ParseFile reads a trim file and checks it against the parts it shall be used with. The error is a
// invalid.List.
func ParseFile(text []byte, set *part.Set) (*File, error) {
	var file File
	if faults := invalid.Decode(text, &file); len(faults) > 0 {
		return nil, faults
	}
	var f invalid.List
	if file.Format != Format {
		f.Add("format", "this version reads "+Format, "%q is not a format known here", file.Format)
	}
	if utf8.RuneCountInString(file.Name) > maxName {
		f.Add("name", fmt.Sprintf("give at most %d characters", maxName), "it has %d", utf8.RuneCountInString(file.Name))
	}
	if utf8.RuneCountInString(file.Reason) > maxReason {
		f.Add("reason", fmt.Sprintf("give at most %d characters", maxReason), "it has %d", utf8.RuneCountInString(file.Reason))
	}
	if file.For.Processor != "" && file.For.Processor != set.Processor.ID {
		f.Add("for.processor", "use a trim for "+set.Processor.ID, "the trim is for %q", file.For.Processor)
	}
	if file.For.Board != "" && file.For.Board != set.Board.ID {
		f.Add("for.board", "use a trim for "+set.Board.ID, "the trim is for %q", file.For.Board)
	}
	f = append(f, Check(set.Processor, set.Board, file.Settings).Under("settings")...)
	if len(f) > 0 {
		return nil, f
	}
	return &file, nil
}

// MarshalFile writes a trim as ParseFile reads it.
func MarshalFile(file File) ([]byte, error) {
	file.Format = Format
	text, err := json.MarshalIndent(file, "", "  ")
	if err != nil {
		return nil, fmt.Errorf("write trim %q: %w", file.Name, err)
	}
	return text, nil
}
