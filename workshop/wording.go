package workshop

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"strconv"
	"strings"

	"zerokeel/core/invalid"
	"zerokeel/core/part"
	"zerokeel/store"
)

// Wording is how a board calls a setting, where it keeps it, and what it takes; what is not given stays as it is.
type Wording struct {
	Setting        string // of an indexed one, any of them: all are called alike
	Label          *string
	Menu           *[]string
	Min, Max, Step *float64
}

// mostMenu is how many menus deep a setting is kept at most, and mostWords how long a word of a board is.
const (
	mostMenu  = 8
	mostWords = 80
)

// Word writes in how the board of a rig calls a setting. Every rig with the same board is told by it from then on.
func (w *Workshop) Word(ctx context.Context, rig int64, in Wording) error {
	if err := may(ctx, change, rig); err != nil {
		return err
	}
	r, set, err := w.rigParts(ctx, rig)
	if err != nil {
		return err
	}
	if f := in.check(); len(f) > 0 {
		return f
	}
	for range changeTries {
		was, err := w.store.Part(ctx, string(part.KindBoard), set.Board.ID)
		if err != nil {
			return err
		}
		var board part.Board
		if err := json.Unmarshal(was.Sheet, &board); err != nil {
			return err
		}
		if !in.into(&board) {
			return invalid.List{{Field: "setting", Problem: "the board of " + r.Name + " offers no " + in.Setting,
				Remedy: "name one of its settings"}}
		}
		if err := board.Validate().Err(); err != nil {
			return err
		}
		text, err := json.MarshalIndent(&board, "", "  ")
		if err != nil {
			return err
		}
		err = w.store.PutPart(ctx, store.Part{Kind: was.Kind, ID: was.ID, Name: was.Name, Sheet: text}, func(now *store.Part) error {
			if now == nil || !bytes.Equal(now.Sheet, was.Sheet) {
				return errMovedOn
			}
			return nil
		})
		if !errors.Is(err, errMovedOn) {
			return err
		}
	}
	return conflict("others write at this board's sheet all the time; try again")
}

// errMovedOn says that what is to be changed was changed by somebody else since it was read.
var errMovedOn = errors.New("it was changed meanwhile")

// into writes a wording into a board's sheet; false where that does not offer the setting.
func (in *Wording) into(b *part.Board) bool {
	pattern, index := part.Pattern(in.Setting)
	entry := b.Entry(pattern)
	if entry == nil {
		return false
	}
	if in.Label != nil {
		entry.Label = *in.Label
		if index >= 0 { // the number within it is the index
			entry.Label = strings.Replace(entry.Label, strconv.Itoa(index), "{n}", 1)
		}
	}
	put(&entry.Menu, in.Menu)
	put(&entry.Min, in.Min)
	put(&entry.Max, in.Max)
	put(&entry.Step, in.Step)
	return true
}

func (in *Wording) check() (f invalid.List) {
	if in.Label != nil {
		f.Name("label", in.Label)
	}
	if in.Menu == nil {
		return f
	}
	if n := len(*in.Menu); n > mostMenu {
		f.Add("menu", "name the menus from the first to the one that it is in", "%d menus", n)
	}
	for i, m := range *in.Menu {
		if m = strings.TrimSpace(m); m == "" || len(m) > mostWords {
			f.Add("menu["+strconv.Itoa(i)+"]", "give the words on the board's screen", "they are missing, or too long")
		}
	}
	return f
}
