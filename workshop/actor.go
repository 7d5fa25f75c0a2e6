package workshop

import (
	"context"
	"errors"
	"fmt"
)

// Actor is who acts.
type Actor struct {
	Kind    ActorKind
	Name    string // of a person
	Role    Role   // of a person
	Account int64  // of a person who has logged in
	Rig     int64  // of an agent's rig
}

// ActorKind is what kind of actor it is.
type ActorKind string

const (
	Person ActorKind = "person" // at a page, or a script of theirs
	Runner ActorKind = "runner" // drives fittings and trials
	Pilot  ActorKind = "pilot"  // drives surveys and tunings
	Agent  ActorKind = "agent"  // speaks for one rig
)

// Owner is the bench's owner: whoever sits at a page, as long as nobody logs in.
var Owner = Actor{Kind: Person, Name: "owner", Role: RoleOwner}

type actorKey struct{}

// As returns a context in which an actor acts.
func As(ctx context.Context, a Actor) context.Context { return context.WithValue(ctx, actorKey{}, a) }

// ActorOf returns who acts; the zero Actor where nobody is said to.
func ActorOf(ctx context.Context) Actor {
	a, _ := ctx.Value(actorKey{}).(Actor)
	return a
}

// drives reports whether it carries out what a person began.
func (a Actor) drives() bool { return a.Kind == Runner || a.Kind == Pilot }

// act is what somebody wants to do.
type act string

const (
	look   act = "look"   // read whatever there is
	change act = "change" // anything that people and drivers do
	manage act = "manage" // accounts, tokens, and removal of what holds records
	report act = "report" // tell what a rig does, or link it
)

// Errors of who acts.
var (
	ErrNobody     = errors.New("nobody is said to act")
	ErrNotAllowed = errors.New("this is not allowed")
)

// may is the one place where it is asked whether an actor may do something to a rig, 0 for none or all of them.
func may(ctx context.Context, do act, rig int64) error {
	a := ActorOf(ctx)
	allowed := false
	switch a.Kind {
	case "":
		return ErrNobody
	case Person:
		allowed = do == look && a.Role != "" || do == change && (a.Role == RoleBuilder || a.Role == RoleOwner) ||
			do == manage && a.Role == RoleOwner
	case Runner, Pilot:
		allowed = do == look || do == change
	case Agent:
		allowed = do == report && rig != 0 && rig == a.Rig
	}
	if !allowed {
		return fmt.Errorf("%s, by %s %s: %w", do, a.Kind, a.Role, ErrNotAllowed)
	}
	return nil
}
