package store

import (
	"bytes"
	"context"
	"database/sql"
	"time"

	"zerokeel/link"
)

// LinkCode is what a machine links itself to a rig by for the first time. Whoever shows its secret first, with a ticket of its own, is the
// one that waits to be taken in.
type LinkCode struct {
	RigID      int64            `db:"rig_id"`
	SecretHash []byte           `db:"secret_hash"`
	ExpiresAt  time.Time        `db:"expires_at"`
	TicketHash []byte           `db:"ticket_hash"` // nil while nobody has shown it
	Facts      JSON[link.Facts] `db:"facts"`       // that the machine told of itself
	TakenIn    bool             `db:"taken_in"`
}

const linkCodeColumns = `rig_id, secret_hash, expires_at, ticket_hash, facts, taken_in`

// PutLinkCode gives a rig a new code; the one before is good no longer.
func (s *Store) PutLinkCode(ctx context.Context, c *LinkCode) error {
	return known(s.within(ctx, func(tx *txn) error {
		tx.tell(TopicRig, c.RigID, 0)
		_, err := tx.NamedExecContext(ctx, `REPLACE INTO link_codes (rig_id, secret_hash, expires_at)
			SELECT id, :secret_hash, :expires_at FROM rigs WHERE id = :rig_id`, c)
		return err
	}), "give rig %d a code to link by", c.RigID)
}

// LinkCodeOf returns the code of a rig.
func (s *Store) LinkCodeOf(ctx context.Context, rig int64) (*LinkCode, error) {
	var c LinkCode
	err := s.db.GetContext(ctx, &c, `SELECT `+linkCodeColumns+` FROM link_codes WHERE rig_id = ?`, rig)
	return &c, known(err, "find the code of rig %d", rig)
}

// ShowLinkCode is done for a machine that shows a secret: it gets the code if it is the first, or the one that was. It is ErrNotFound where
// there is no such code, and ErrTaken where another machine was first. Whether it has expired, the caller looks.
func (s *Store) ShowLinkCode(ctx context.Context, secret, ticket []byte, facts link.Facts) (*LinkCode, error) {
	var c LinkCode
	return &c, known(s.within(ctx, func(tx *txn) error {
		if err := tx.GetContext(ctx, &c, `SELECT `+linkCodeColumns+` FROM link_codes WHERE secret_hash = ? FOR UPDATE`, secret); err != nil {
			return err
		}
		switch {
		case bytes.Equal(c.TicketHash, ticket):
			return nil
		case c.TicketHash != nil:
			return ErrTaken
		case c.ExpiresAt.Before(time.Now()):
			return nil
		}
		c.TicketHash, c.Facts = ticket, AsJSON(facts)
		tx.tell(TopicRig, c.RigID, 0)
		_, err := tx.NamedExecContext(ctx, `UPDATE link_codes SET ticket_hash = :ticket_hash, facts = :facts WHERE rig_id = :rig_id`, c)
		return err
	}), "find a code to link by")
}

// TellToken makes a token the one of a rig, for the machine that was taken in by its code. The code goes once a machine links: until then
// the same machine may ask again, as the answer may have been lost.
func (s *Store) TellToken(ctx context.Context, rig int64, hash []byte) error {
	return known(s.within(ctx, func(tx *txn) error {
		result, err := tx.ExecContext(ctx, `UPDATE link_codes l JOIN rigs r ON r.id = l.rig_id SET l.told = TRUE, r.token_hash = ?
			WHERE l.rig_id = ? AND l.taken_in`, hash, rig)
		if err != nil {
			return err
		}
		return changed(result, sql.ErrNoRows)
	}), "tell the token of rig %d", rig)
}

// TakeIn lets the machine that waits by a rig's code in. It is ErrNotFound where none does.
func (s *Store) TakeIn(ctx context.Context, rig int64) error {
	return known(s.within(ctx, func(tx *txn) error {
		tx.tell(TopicRig, rig, 0)
		result, err := tx.ExecContext(ctx, `UPDATE link_codes SET taken_in = TRUE WHERE rig_id = ? AND ticket_hash IS NOT NULL
			AND NOT taken_in`, rig)
		if err != nil {
			return err
		}
		return changed(result, sql.ErrNoRows)
	}), "take in the machine that waits at rig %d", rig)
}
