package link_test

import (
	"context"
	"crypto/tls"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"zerokeel/keys"
	"zerokeel/link"
)

// TestServersAreKnownByFingerprint: an agent shows its token to the server whose fingerprint it was given, by whatever name that is
// reached and whatever the machine's clock says, and to no other that stands in between.
func TestServersAreKnownByFingerprint(t *testing.T) {
	authority := func() *keys.Authority {
		folder, err := keys.Open(t.TempDir() + "/keys")
		if err != nil {
			t.Fatal(err)
		}
		a, err := folder.Authority()
		if err != nil {
			t.Fatal(err)
		}
		if again, err := folder.Authority(); err != nil || again.Fingerprint() != a.Fingerprint() {
			t.Fatalf("the authority changes: %v", err)
		}
		return a
	}
	certificate := func(by *keys.Authority) tls.Certificate {
		c, err := by.Server([]string{"bench.example"}).GetCertificate(nil)
		if err != nil {
			t.Fatal(err)
		}
		return *c
	}
	ours, theirs := authority(), authority()
	sound, other, forged := certificate(ours), certificate(theirs), certificate(theirs)
	forged.Certificate[1] = sound.Certificate[1] // it shows our authority, which did not sign it
	for _, row := range []struct {
		name        string
		shows       tls.Certificate
		fingerprint string
		linked      bool
	}{
		{"its authority's", sound, ours.Fingerprint(), true},
		{"in capitals, with colons", sound, strings.ToUpper(ours.Fingerprint()[:2] + ":" + ours.Fingerprint()[2:]), true},
		{"another's", other, ours.Fingerprint(), false},
		{"a chain put together", forged, ours.Fingerprint(), false},
		{"none, and the machine trusts nobody of that name", sound, "", false},
		{"no fingerprint at all", sound, "abc", false},
	} {
		var shown atomic.Bool
		hub := link.NewHub(&memory{grew: make(chan struct{}, 1)}, slog.New(slog.DiscardHandler))
		server := httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			shown.Store(r.Header.Get("Authorization") != "")
			hub.Serve(w, r, 1, "test")
		}))
		server.Config.ErrorLog = slog.NewLogLogger(slog.DiscardHandler, slog.LevelError)
		server.TLS = &tls.Config{Certificates: []tls.Certificate{row.shows}}
		server.StartTLS()
		if err := hearsFrom(t, link.Server{Address: server.URL, Token: "t", Fingerprint: row.fingerprint}, hub, row.linked); err != "" {
			t.Errorf("%s: %s", row.name, err)
		}
		if shown.Load() != row.linked {
			t.Errorf("%s: the token was shown: %v", row.name, shown.Load())
		}
		hub.Close()
		server.Close()
	}
}

// hearsFrom links a rig, and tells what is wrong with how that went.
func hearsFrom(t *testing.T, to link.Server, hub *link.Hub, wanted bool) string {
	t.Helper()
	log := &lines{told: make(chan string, 64)}
	ctx, cancel := context.WithCancel(t.Context())
	client := link.NewClient(to, hello, func(link.Order) {}, slog.New(slog.NewTextHandler(log, nil)))
	done := make(chan struct{})
	go func() { defer close(done); _ = client.Run(ctx) }()
	defer func() { cancel(); <-done }()
	end := time.After(time.Minute)
	look := time.NewTicker(time.Millisecond)
	defer look.Stop()
	for {
		select {
		case line := <-log.told:
			if wanted || !strings.Contains(line, "dialling again") {
				return line
			}
			return ""
		case <-look.C:
			if hub.Status(1).Linked {
				if !wanted {
					return "it links"
				}
				return ""
			}
		case <-end:
			return "nothing happened"
		}
	}
}

// lines is a log that is read line by line.
type lines struct{ told chan string }

func (l *lines) Write(p []byte) (int, error) {
	select {
	case l.told <- string(p):
	default:
	}
	return len(p), nil
}

// TestServerAddresses: what would show a token to a network, or is no address, is refused before anything is dialled.
func TestServerAddresses(t *testing.T) {
	sum := strings.Repeat("ab", 32)
	for _, row := range []struct {
		in   link.Server
		want string // within the fault; empty for none
	}{
		{link.Server{Address: "http://127.0.0.1:7350"}, ""},
		{link.Server{Address: "http://localhost:7350"}, ""},
		{link.Server{Address: "https://10.0.0.2:7350", Fingerprint: sum}, ""},
		{link.Server{Address: "https://bench.example"}, ""},
		{link.Server{Address: "http://10.0.0.2:7350"}, "could be read"},
		{link.Server{Address: "http://10.0.0.2:7350", Fingerprint: sum}, "could be read"},
		{link.Server{Address: "http://127.0.0.1:7350", Fingerprint: sum}, "over https alone"},
		{link.Server{Address: "https://10.0.0.2", Fingerprint: "12"}, "hexadecimal"},
		{link.Server{Address: "10.0.0.2:7350"}, "is none"},
		{link.Server{Address: ""}, "is none"},
	} {
		err := row.in.Check()
		if (err == nil) != (row.want == "") || err != nil && !strings.Contains(err.Error(), row.want) {
			t.Errorf("%+v: %v, want %q", row.in, err, row.want)
		}
	}
}
