package store

import (
	"context"
	"time"
)

// History is what happened on a rig before a moment, the newest of each kind first.
type History struct {
	Fittings  []Fitting
	Trials    []Trial
	Incidents []Incident
	Notices   []Notice
	Pilots    []Pilot
}

// History returns at most so many of each kind, from before a moment on the rig's clock.
func (s *Store) History(ctx context.Context, rig int64, before time.Time, most int) (*History, error) {
	h := &History{}
	for _, q := range []struct {
		into        any
		columns, of string
		at          string
	}{
		{&h.Fittings, fittingColumns, "fittings", "rig_clock"},
		{&h.Trials, trialColumns, "trials", "COALESCE(rig_ended, started_at, created_at)"},
		{&h.Incidents, "id, rig_id, trim_id, kind, note, created_at, boot_id", "incidents", "created_at"},
		{&h.Notices, noticeColumns, "notices", "at"},
		{&h.Pilots, pilotColumns, "pilots", "rig_began"},
	} {
		err := s.db.SelectContext(ctx, q.into,
			`SELECT `+q.columns+` FROM `+q.of+` WHERE rig_id = ? AND `+q.at+` < ? ORDER BY `+q.at+` DESC, id DESC LIMIT ?`, rig, before.UTC(),
			most)
		if err != nil {
			return nil, known(err, "list the %s of rig %d", q.of, rig)
		}
	}
	return h, nil
}
