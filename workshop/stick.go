package workshop

import (
	"context"
	"fmt"
	"os"
	"sync"

	"zerokeel/core/invalid"
	"zerokeel/link"
	"zerokeel/rigside/bench"
	"zerokeel/stick"
)

// making lets one stick be made at a time: it takes both the packages' folder and memory.
var making sync.Mutex

// Stick makes the image of a bench stick, with a link code or with none, in a file.
func (w *Workshop) Stick(ctx context.Context, code, out string) error {
	if err := may(ctx, change, 0); err != nil {
		return err
	}
	var note bench.Note
	if code != "" {
		c, err := link.ParseCode(code)
		if err != nil {
			return invalid.List{{Field: "code", Problem: err.Error(), Remedy: "copy it from the rig's page, or give none"}}
		}
		note.Codes = []string{c.String()}
	}
	program, err := os.Executable()
	if err != nil {
		return fmt.Errorf("make a stick: %w", err)
	}
	making.Lock()
	defer making.Unlock()
	if err := stick.Make(ctx, stick.Config{Program: program, Cache: stick.UsualCache(), Note: note}, out); err != nil {
		return conflict("the stick is not made: %v", err)
	}
	return nil
}
