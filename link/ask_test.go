package link_test

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"testing"

	"zerokeel/link"
)

// TestAsks: each ask gets its own answer; one that is under way when the link is lost, or for longer than is waited, ends with an error,
// and the rig answers over its next link.
func TestAsks(t *testing.T) {
	hub := link.NewHub(&memory{grew: make(chan struct{}, 1)}, slog.New(slog.DiscardHandler))
	client, ctx, cancel := rigOf(t, hub)
	defer cancel()
	ask := func(ctx context.Context, what string) (string, error) {
		a, err := hub.Ask(ctx, 1, link.Ask{Set: map[string]any{"what": what}})
		said, _ := a.Offer.Now["what"].(string)
		return said, err
	}
	if _, err := ask(ctx, "nobody"); !errors.Is(err, link.ErrNotLinked) {
		t.Errorf("a rig that is not linked: %v", err)
	}
	held, asked := make(chan struct{}), make(chan struct{}, 2)
	client.Answers(func(a link.Ask) link.Answer {
		if a.Set["what"] == "slow" {
			asked <- struct{}{}
			<-held
		}
		return link.Answer{Offer: link.Offer{Now: a.Set}}
	})
	var running sync.WaitGroup
	running.Go(func() { _ = client.Run(ctx) })
	linked := func() bool { return hub.Status(1).Linked }
	until(ctx, t, "it links", linked)
	var all sync.WaitGroup
	for _, what := range []string{"a", "b", "c", "d"} {
		all.Go(func() {
			if said, err := ask(ctx, what); said != what || err != nil {
				t.Errorf("asked %s, it said %q, %v", what, said, err)
			}
		})
	}
	all.Wait()
	short, stop := context.WithCancel(ctx)
	all.Go(func() {
		if _, err := ask(short, "slow"); !errors.Is(err, context.Canceled) {
			t.Errorf("waited for no longer: %v", err)
		}
	})
	<-asked
	stop()
	all.Wait()
	all.Go(func() {
		if _, err := ask(ctx, "slow"); !errors.Is(err, link.ErrNotLinked) {
			t.Errorf("the link was lost: %v", err)
		}
	})
	<-asked
	hub.Cut(1)
	all.Wait()
	close(held)
	until(ctx, t, "it links again", linked)
	if said, err := ask(ctx, "again"); said != "again" || err != nil {
		t.Errorf("over the next link: %q, %v", said, err)
	}
	cancel()
	running.Wait()
}
