package store

import (
	"context"
	"maps"
	"slices"
	"strings"
	"time"

	"zerokeel/core/ladder"
)

// Ladder is a template of trials: as delivered, changed, or a workshop's own.
type Ladder struct {
	ID        string
	Template  ladder.Template
	Delivered bool // it comes with the application
	Changed   bool // and was changed since
}

// Ladders lists the templates: those delivered, the shortest first, then the workshop's own by name.
func (s *Store) Ladders(ctx context.Context) ([]Ladder, error) {
	var rows []struct {
		ID       string                `db:"id"`
		Template JSON[ladder.Template] `db:"template"`
	}
	if err := s.db.SelectContext(ctx, &rows, `SELECT id, template FROM ladders`); err != nil {
		return nil, known(err, "list ladders")
	}
	all := map[string]Ladder{}
	for id, t := range ladder.Delivered() {
		all[id] = Ladder{ID: id, Template: t, Delivered: true}
	}
	for _, r := range rows {
		all[r.ID] = Ladder{ID: r.ID, Template: r.Template.V, Delivered: all[r.ID].Delivered, Changed: all[r.ID].Delivered}
	}
	const someCores = 8
	return slices.SortedFunc(maps.Values(all), func(a, b Ladder) int {
		switch {
		case a.Delivered != b.Delivered:
			if a.Delivered {
				return -1
			}
			return 1
		case a.Delivered:
			if c := int(a.Template.Seconds(someCores) - b.Template.Seconds(someCores)); c != 0 {
				return c
			}
		}
		return strings.Compare(a.Template.Name+a.ID, b.Template.Name+b.ID)
	}), nil
}

// Ladder returns one template.
func (s *Store) Ladder(ctx context.Context, id string) (*Ladder, error) {
	list, err := s.Ladders(ctx)
	if err != nil {
		return nil, err
	}
	if i := slices.IndexFunc(list, func(l Ladder) bool { return l.ID == id }); i >= 0 {
		return &list[i], nil
	}
	return nil, known(ErrNotFound, "load ladder %.40q", id)
}

// SaveLadder stores a template under an id, new or not. still is told the one of that id, nil for none, and may refuse.
func (s *Store) SaveLadder(ctx context.Context, id string, t *ladder.Template, still func(now *Ladder) error) error {
	return known(s.onLadder(ctx, id, still, func(tx *txn) error {
		_, err := tx.ExecContext(ctx, `INSERT INTO ladders (id, template, changed_at) VALUES (?, ?, ?)
			ON DUPLICATE KEY UPDATE template = VALUES(template), changed_at = VALUES(changed_at)`, id, AsJSON(*t), time.Now().UTC())
		return err
	}), "save ladder %s", id)
}

// DropLadder removes a workshop's own template, or puts a delivered one back as it was. still may refuse, as of SaveLadder.
func (s *Store) DropLadder(ctx context.Context, id string, still func(now *Ladder) error) error {
	return known(s.onLadder(ctx, id, still, func(tx *txn) error {
		_, err := tx.ExecContext(ctx, `DELETE FROM ladders WHERE id = ?`, id)
		return err
	}), "remove ladder %s", id)
}

// onLadder does something with a template, if how it stands lets it, while nobody else does.
func (s *Store) onLadder(ctx context.Context, id string, still func(*Ladder) error, do func(*txn) error) error {
	return s.within(ctx, func(tx *txn) error {
		var own []JSON[ladder.Template]
		if err := tx.SelectContext(ctx, &own, `SELECT template FROM ladders WHERE id = ? FOR UPDATE`, id); err != nil {
			return err
		}
		var now *Ladder
		delivered, comes := ladder.Delivered()[id]
		switch {
		case len(own) > 0:
			now = &Ladder{ID: id, Template: own[0].V, Delivered: comes, Changed: comes}
		case comes:
			now = &Ladder{ID: id, Template: delivered, Delivered: true}
		}
		if err := still(now); err != nil {
			return err
		}
		return do(tx)
	})
}
