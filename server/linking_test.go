package server_test

import (
	"context"
	"database/sql"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"testing"
	"time"

	"zerokeel/link"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/store/storetest"
)

// asks lets a machine ask to be linked by a code, and returns where its answer comes, once it waits or was refused.
func asks(t *testing.T, text, host string) <-chan error {
	t.Helper()
	code, err := link.ParseCode(text)
	if err != nil {
		t.Fatal(err)
	}
	answer := make(chan error, 1)
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	t.Cleanup(cancel)
	go func() {
		got, err := link.Redeem(ctx, code, link.Facts{Host: host, Processor: "Corvane S8", Cores: 8, Threads: 16, MemoryMB: 32768},
			func(string, error) {})
		if err == nil {
			err = linked{got}
		}
		answer <- err
	}()
	return answer
}

// linked is a machine's end of asking: it has the token of its rig.
type linked struct{ at link.Server }

func (l linked) Error() string { return "linked to " + l.at.Address }

// TestLinkedByACode: a machine that shows a rig's code waits, tells what it is, and gets the rig's token when somebody takes it in, over
// loopback and from a guarded server, of which the code tells by what it is known. Another machine with the same code, an old
// code, one that has expired, and a server that is not the one of the code are each refused with words.
func TestLinkedByACode(t *testing.T) {
	s, _ := storetest.OpenDSN(t)
	nobody := servertest.Guarded(t, s)
	nobody.Call("POST", "/api/first", api.FirstOwnerRequest{Code: nobody.Code, Name: "Ada", Password: ownersPassword}, 201, nil)
	for name, bench := range map[string]*servertest.Bench{"open": servertest.Start(t), "guarded": nobody.As("Ada", ownersPassword)} {
		var made api.CreatedRig
		bench.Call("POST", "/api/rigs", api.CreateRigRequest{Name: "Desk " + name}, 201, &made)
		path := fmt.Sprintf("/api/rigs/%d/link-code", made.Rig.Id)
		var l api.Linking
		bench.Call("GET", path, nil, 200, &l)
		if l.Good || l.Waits != nil {
			t.Errorf("%s: before there is a code: %+v", name, l)
		}
		bench.Call("POST", path, api.LinkCodeRequest{Address: "http://10.1.2.3"}, 422, nil)
		bench.Call("POST", path+"/take-in", nil, 409, nil)
		code := func() string {
			t.Helper()
			var l api.Linking
			bench.Call("POST", path, api.LinkCodeRequest{Address: bench.Address}, 201, &l)
			if !l.Good || l.Code == nil {
				t.Fatalf("%s: %+v", name, l)
			}
			return *l.Code
		}
		old, good := code(), code()
		refused := func(what string, answer <-chan error, words string) {
			t.Helper()
			if err := <-answer; err == nil || !strings.Contains(err.Error(), words) {
				t.Errorf("%s: %s: %v", name, what, err)
			}
		}
		refused("an old code", asks(t, old, "desk"), "no longer good")
		bench.Call("POST", path+"/take-in", nil, 409, nil)
		first := asks(t, good, "desk-7")
		bench.Until("the machine waits", func() bool { bench.Call("GET", path, nil, 200, &l); return l.Waits != nil })
		if l.Waits.Host != "desk-7" || l.Waits.Threads != 16 || l.TakenIn {
			t.Errorf("%s: it says of itself %+v", name, l.Waits)
		}
		refused("another machine", asks(t, good, "desk-8"), "another machine")
		bench.Call("POST", path+"/take-in", nil, 200, &l)
		got, is := (<-first).(linked)
		if !is || !l.TakenIn {
			t.Fatalf("%s: it is not linked", name)
		}
		if id, _, err := bench.Shop.RigByToken(context.Background(), got.at.Token); err != nil || id != made.Rig.Id {
			t.Errorf("%s: its token is that of rig %d: %v", name, id, err)
		}
		again := asks(t, good, "desk-7")
		refused("the same machine by another ticket", again, "another machine")
		ctx, end := context.WithCancel(context.Background())
		client := link.NewClient(got.at, func() link.Hello {
			return link.Hello{Protocol: link.Version, Agent: "test", Stream: "s", BootID: "b", Now: 1, ClockRate: 1, Facts: link.Facts{Cores: 1}}
		}, func(link.Order) {}, slog.New(slog.DiscardHandler))
		var running sync.WaitGroup
		running.Go(func() { _ = client.Run(ctx) })
		bench.Until("its code goes with its first link", func() bool { bench.Call("GET", path, nil, 200, &l); return !l.Good })
		end()
		running.Wait()
		refused("the code of a machine that has linked", asks(t, good, "desk-7"), "no longer good")
		if pinned := len(got.at.Fingerprint) == 64; pinned != (name == "guarded") {
			t.Errorf("%s: the server is known by %q", name, got.at.Fingerprint)
		}
		if _, _, err := bench.Shop.RigByToken(context.Background(), made.Token); err == nil {
			t.Errorf("%s: the token of before is good still", name)
		}
		if name == "guarded" {
			other, err := link.ParseCode(code())
			if err != nil {
				t.Fatal(err)
			}
			other.Pin[3] ^= 1
			refused("a server that is not the one of the code", asks(t, other.String(), "desk"), "not the one of the fingerprint")
		}
	}
}

// TestACodeExpires: after its hour a code is refused, and the page tells of none.
func TestACodeExpires(t *testing.T) {
	s, dsns := storetest.OpenDSN(t)
	bench := servertest.Pages(t, s)
	var made api.CreatedRig
	bench.Call("POST", "/api/rigs", api.CreateRigRequest{Name: "Desk"}, 201, &made)
	path := fmt.Sprintf("/api/rigs/%d/link-code", made.Rig.Id)
	var l api.Linking
	bench.Call("POST", path, api.LinkCodeRequest{Address: bench.Address}, 201, &l)
	if left := time.Until(*l.ExpiresAt); left < 50*time.Minute || left > time.Hour {
		t.Errorf("a code is good for %v", left)
	}
	db, err := sql.Open("mysql", dsns[0])
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = db.Close() }()
	if _, err := db.Exec(`UPDATE link_codes SET expires_at = expires_at - INTERVAL 61 MINUTE`); err != nil {
		t.Fatal(err)
	}
	if err := <-asks(t, *l.Code, "desk"); err == nil || !strings.Contains(err.Error(), "expired") {
		t.Errorf("after its hour: %v", err)
	}
	bench.Call("GET", path, nil, 200, &l)
	if l.Good {
		t.Errorf("after its hour the page tells of %+v", l)
	}
}

// TestABoardIsTried: a board at an address is asked what it is before a rig is made with it; a wrong password, and an address that is no
// board's, are told.
func TestABoardIsTried(t *testing.T) {
	bench := servertest.Start(t)
	rig := bench.AddRig(petrel(t, nil), 60)
	at := map[string]string{"address": rig.Get().FirmwareAddress, "user": "bench", "password": "keel"}
	var found api.BoardFound
	bench.Call("POST", "/api/boards/try", at, 200, &found)
	if found.Model == "" || !found.On || found.Settings < 20 || found.Known < found.Settings/2 {
		t.Errorf("%+v", found)
	}
	at["password"] = "a guess"
	var problem api.Problem
	bench.Call("POST", "/api/boards/try", at, 409, &problem)
	if !strings.Contains(problem.Title, "401") && !strings.Contains(problem.Title, "password") {
		t.Errorf("a wrong password: %+v", problem)
	}
	at["address"] = bench.Address
	bench.Call("POST", "/api/boards/try", at, 409, &problem)
}
