package workshop

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"time"
	"unicode/utf8"

	"zerokeel/core/invalid"
	"zerokeel/link"
	"zerokeel/store"
)

// codeLife is how long a code to link by is good.
const codeLife = time.Hour

// Linking is how far the first link of a rig's machine has come.
type Linking struct {
	ExpiresAt time.Time
	Waits     *link.Facts // what the machine that waits told of itself; nil while none does
	TakenIn   bool
}

// mayLink says whether somebody may link a machine to a rig: to one that no agent has spoken for yet, whoever may add one; to one that has
// its agent, who may give that another token.
func (w *Workshop) mayLink(ctx context.Context, rig int64) error {
	if err := may(ctx, change, rig); err != nil {
		return err
	}
	r, err := w.store.Rig(ctx, rig)
	if err != nil {
		return err
	}
	if r.Facts.Valid {
		return may(ctx, manage, rig)
	}
	return nil
}

// MakeLinkCode makes a code by which a machine links itself to a rig, good for an hour and for one machine; the one before is good no
// longer. The server is where machines reach it, and by what they know it.
func (w *Workshop) MakeLinkCode(ctx context.Context, rig int64, at link.Server) (code string, l *Linking, err error) {
	if err := w.mayLink(ctx, rig); err != nil {
		return "", nil, err
	}
	c, err := link.NewCode(at)
	if err != nil {
		return "", nil, invalid.List{{Field: "address", Problem: err.Error(),
			Remedy: "give the address at which the machine reaches this server"}}
	}
	ends := time.Now().UTC().Add(codeLife).Truncate(time.Second)
	row := &store.LinkCode{RigID: rig, SecretHash: hashToken(c.SecretText()), ExpiresAt: ends}
	if err := w.store.PutLinkCode(ctx, row); err != nil {
		return "", nil, err
	}
	return c.String(), &Linking{ExpiresAt: row.ExpiresAt}, nil
}

// Linking tells how far the first link of a rig's machine has come; nil where there is no code that is good.
func (w *Workshop) Linking(ctx context.Context, rig int64) (*Linking, error) {
	if err := may(ctx, look, rig); err != nil {
		return nil, err
	}
	if _, err := w.store.Rig(ctx, rig); err != nil {
		return nil, err
	}
	c, err := w.store.LinkCodeOf(ctx, rig)
	if errors.Is(err, store.ErrNotFound) || err == nil && c.ExpiresAt.Before(time.Now()) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	out := &Linking{ExpiresAt: c.ExpiresAt, TakenIn: c.TakenIn}
	if c.TicketHash != nil {
		out.Waits = &c.Facts.V
	}
	return out, nil
}

// TakeIn lets the machine in that waits to be linked to a rig.
func (w *Workshop) TakeIn(ctx context.Context, rig int64) (*Linking, error) {
	if err := w.mayLink(ctx, rig); err != nil {
		return nil, err
	}
	l, err := w.Linking(ctx, rig)
	switch {
	case err != nil:
		return nil, err
	case l == nil:
		return nil, conflict("the code has expired; make a new one")
	case l.Waits == nil:
		return nil, conflict("no machine waits yet; start its agent with the code")
	case l.TakenIn:
		return l, nil
	}
	if err := w.store.TakeIn(ctx, rig); err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	return w.Linking(ctx, rig)
}

// LinkAsk is what a machine shows that wants to be linked.
type LinkAsk struct {
	Secret, Ticket string // of its code; and by which it is known while it waits
	Facts          link.Facts
}

// The bounds of what a machine tells before anybody knows it.
const (
	ticketSize    = 32 // hexadecimal figures
	mostFact      = 200
	mostFactCount = 1e9
	mostModules   = 64
)

// linkLooks is how often it is looked whether somebody took a machine in.
const linkLooks = 500 * time.Millisecond

// AskToLink is asked by a machine before anybody knows it: it shows the secret of a code, and waits for so long, or as long as the context
// lasts, to be taken in. The answer is the token of its rig, or empty while nobody has.
func (w *Workshop) AskToLink(ctx context.Context, ask LinkAsk, within time.Duration) (rig, token string, err error) {
	if f := ask.check(); len(f) > 0 {
		return "", "", f
	}
	look := time.NewTicker(linkLooks)
	defer look.Stop()
	until := time.Now().Add(within)
	for {
		c, err := w.store.ShowLinkCode(ctx, hashToken(ask.Secret), hashToken(ask.Ticket), ask.Facts)
		switch {
		case errors.Is(err, store.ErrNotFound):
			return "", "", conflict("this code is no longer good: a newer one was made, or its rig is gone; " +
				"take the code that the rig's page shows now")
		case errors.Is(err, store.ErrTaken):
			return "", "", conflict("another machine has used this code; make a new one on the rig's page")
		case err != nil:
			return "", "", err
		case c.ExpiresAt.Before(time.Now()):
			return "", "", conflict("this code has expired; make a new one on the rig's page")
		}
		r, err := w.store.Rig(ctx, c.RigID)
		if err != nil {
			return "", "", err
		}
		if c.TakenIn {
			token := rand.Text()
			if err := w.store.TellToken(ctx, r.ID, hashToken(token)); err != nil {
				return "", "", err
			}
			w.hub.Cut(r.ID)
			return r.Name, token, nil
		}
		if time.Now().After(until) {
			return r.Name, "", nil
		}
		select {
		case <-ctx.Done():
			return r.Name, "", ctx.Err()
		case <-look.C:
		}
	}
}

func (a *LinkAsk) check() (f invalid.List) {
	if n := len(a.Secret); n == 0 || n > mostFact {
		f.Add("secret", "give that of a code", "it has %d characters", n)
	}
	if _, err := hex.DecodeString(a.Ticket); err != nil || len(a.Ticket) != ticketSize {
		f.Add("ticket", fmt.Sprintf("give %d hexadecimal figures", ticketSize), "%.40q is none", a.Ticket)
	}
	for field, text := range map[string]string{"host": a.Facts.Host, "system": a.Facts.System, "kernel": a.Facts.Kernel,
		"processor": a.Facts.Processor, "microcode": a.Facts.Microcode,
		"board": a.Facts.Board, "firmware": a.Facts.Firmware} {
		if utf8.RuneCountInString(text) > mostFact {
			f.Add("facts."+field, fmt.Sprintf("say it in %d letters", mostFact), "it has %d", utf8.RuneCountInString(text))
		}
	}
	if n := len(a.Facts.Modules); n > mostModules {
		f.Add("facts.modules", "tell of the first ones", "%d modules", n)
	}
	for field, n := range map[string]int{"cores": a.Facts.Cores, "threads": a.Facts.Threads, "memoryMB": a.Facts.MemoryMB} {
		if n < 0 || n > mostFactCount {
			f.Add("facts."+field, "count what there is", "%d is out of range", n)
		}
	}
	return f
}
