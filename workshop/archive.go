package workshop

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"zerokeel/archive"
	"zerokeel/core/channel"
	"zerokeel/core/invalid"
	"zerokeel/store"
)

// Archive makes all that is kept of rigs, of every one where none is named, ready to be written. Nothing may run on them meanwhile.
func (w *Workshop) Archive(ctx context.Context, rigs []int64) (*Export, error) {
	if err := may(ctx, manage, 0); err != nil {
		return nil, err
	}
	all, err := w.store.Rigs(ctx)
	if err != nil {
		return nil, err
	}
	if len(rigs) == 0 {
		for _, r := range all {
			rigs = append(rigs, r.ID)
		}
	}
	if len(rigs) == 0 {
		return nil, conflict("there is no rig to archive; add one first")
	}
	name := "workshop"
	for _, id := range rigs {
		at := slices.IndexFunc(all, func(r store.Rig) bool { return r.ID == id })
		if at < 0 {
			return nil, fmt.Errorf("rig %d: %w", id, ErrNotFound)
		}
		busy, err := w.store.Runs(ctx, id)
		if err != nil {
			return nil, err
		}
		if busy {
			return nil, conflict("something runs on %s; let it end, or stop it, so that its archive is whole", all[at].Name)
		}
		if len(rigs) == 1 {
			name = channel.Plain(all[at].Name)
		}
	}
	return &Export{Name: name + ".zerokeel.zip", write: func(ctx context.Context, to io.Writer) error {
		return w.store.ArchiveRigs(ctx, rigs, archive.NewWriter(to))
	}}, nil
}

// Taken is a rig that was taken in from an archive, with the token that its agent needs here.
type Taken struct {
	Rig   int64
	Name  string
	Token string
}

// TakeArchive takes in the rigs of an archive, with nothing lost but secrets: each gets a new token, and the password of its board
// has to be entered again. as gives the only rig of an archive another name. All are taken in, or none.
func (w *Workshop) TakeArchive(ctx context.Context, from io.ReaderAt, size int64, as string) ([]Taken, error) {
	if err := may(ctx, manage, 0); err != nil {
		return nil, err
	}
	a, err := archive.Open(from, size)
	if err != nil {
		return nil, err
	}
	var f invalid.List
	if as = strings.TrimSpace(as); as != "" && len(a.Rigs) != 1 {
		f.Add("as", "leave it out", "the archive holds %d rigs, and one name is given", len(a.Rigs))
	}
	here, err := w.store.Rigs(ctx)
	if err != nil {
		return nil, err
	}
	var out []Taken
	var names []string
	var hashes [][]byte
	for _, r := range a.Rigs {
		t := Taken{Name: r.Name, Token: rand.Text()}
		if as != "" {
			t.Name = as
		}
		f.Name("name", &t.Name)
		if slices.ContainsFunc(here, func(o store.Rig) bool { return strings.EqualFold(o.Name, t.Name) }) {
			f.Add("as", "take it in under another name, or remove the one that is here first", "there is a rig called %s here already", t.Name)
		}
		out, names, hashes = append(out, t), append(names, t.Name), append(hashes, hashToken(t.Token))
	}
	if len(f) > 0 {
		return nil, f
	}
	ids, err := w.store.TakeRigs(ctx, a, names, hashes)
	if errors.Is(err, store.ErrTaken) {
		return nil, conflict("a rig of that name was added meanwhile; ask again")
	} else if err != nil {
		return nil, err
	}
	for i := range out {
		out[i].Rig = ids[i]
	}
	return out, nil
}
