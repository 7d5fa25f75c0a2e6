package workshop_test

import (
	"context"
	"errors"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/jmoiron/sqlx"

	"zerokeel/core/channel"
	"zerokeel/core/watch"
	"zerokeel/keys"
	"zerokeel/link"
	"zerokeel/store/storetest"
	"zerokeel/workshop"
)

// TestSecretsLieSealed: what a person enters, and what was stored before secrets were sealed, stands in no table in the clear; the
// board still gets its password, at the address that it was entered for alone, and only from who has the key.
func TestSecretsLieSealed(t *testing.T) {
	const secret, where = "open sesame", "https://notices.example/hook/open-door"
	var got string
	board := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) { _, got, _ = r.BasicAuth() }))
	defer board.Close()
	other := httptest.NewServer(board.Config.Handler)
	defer other.Close()
	s, dsns := storetest.OpenDSN(t)
	seal, log := keys.Passing(), slog.New(slog.DiscardHandler)
	w, ctx := workshop.New(s, log, seal), workshop.As(t.Context(), workshop.Owner)
	user, password := "bench", secret
	access := workshop.FirmwareAccess{Address: board.URL, User: &user, Password: &password}
	rig, _, err := w.MakeRig(ctx, workshop.NewRig{Name: "Desk", Firmware: &access})
	if err != nil {
		t.Fatal(err)
	}
	agent := workshop.As(t.Context(), workshop.Actor{Kind: workshop.Agent, Rig: rig.ID})
	if _, err := w.Greet(agent, rig.ID, &link.Hello{Stream: "s", BootID: "b", ClockRate: 1,
		Channels: []channel.Channel{{Key: "t", Unit: "\u00b0C", Label: "T"}}}); err != nil {
		t.Fatal(err)
	}
	shown, err := w.AddWatch(ctx, rig.ID, watch.Rule{Channel: "t", When: watch.Above, Threshold: 90, Message: "warm"}, where)
	if err != nil || strings.Contains(shown.Send, "open-door") || !strings.Contains(shown.Send, "notices.example") {
		t.Errorf("the watch shows %q, %v", shown.Send, err)
	}
	raw := sqlx.MustConnect("mysql", dsns[0])
	defer func() { _ = raw.Close() }()
	stored := func() (all string) {
		t.Helper()
		if err := raw.Get(&all, `SELECT CONCAT(firmware_password, ' ', (SELECT GROUP_CONCAT(send) FROM watches)) FROM rigs`); err != nil {
			t.Fatal(err)
		}
		return all
	}
	reach := func(w *workshop.Workshop) error {
		t.Helper()
		row, err := s.Rig(ctx, rig.ID)
		if err != nil {
			t.Fatal(err)
		}
		got = ""
		b, err := w.Boards().Of(row)
		if err != nil {
			return err
		}
		_, _ = b.State(ctx)
		return nil
	}
	if text := stored(); strings.Contains(text, secret) || strings.Contains(text, "open-door") {
		t.Errorf("in the clear: %s", text)
	}
	if err := reach(w); err != nil || got != secret {
		t.Errorf("the board was shown %q, %v", got, err)
	}
	raw.MustExec(`UPDATE rigs SET firmware_address = ?`, other.URL)
	if err := reach(workshop.New(s, log, seal)); !errors.Is(err, keys.ErrSealed) || got != "" {
		t.Errorf("another address was shown %q, %v", got, err)
	}
	raw.MustExec(`UPDATE rigs SET firmware_address = ?`, board.URL)
	if err := reach(workshop.New(s, log, keys.Passing())); !errors.Is(err, keys.ErrSealed) || got != "" {
		t.Errorf("without the key, the board was shown %q, %v", got, err)
	}

	raw.MustExec(`UPDATE rigs SET firmware_password = ?`, secret)
	raw.MustExec(`UPDATE watches SET send = ?`, where)
	w = workshop.New(s, log, seal)
	running, end := context.WithCancel(t.Context())
	done := make(chan error, 1)
	go func() { done <- w.Run(running) }()
	for strings.Contains(stored(), secret) || strings.Contains(stored(), "open-door") {
		select {
		case err := <-done:
			t.Fatalf("it ended before it sealed: %v", err)
		default:
		}
	}
	end()
	<-done
	if err := reach(w); err != nil || got != secret {
		t.Errorf("sealed later, the board was shown %q, %v", got, err)
	}
}
