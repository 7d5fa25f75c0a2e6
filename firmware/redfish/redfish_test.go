package redfish_test

import (
	"errors"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"

	"zerokeel/core/part"
	"zerokeel/core/trim"
	"zerokeel/firmware"
	"zerokeel/firmware/redfish"
	"zerokeel/outbound"
)

// TestFailingBoards: a board that answers with its own failures, nothing, or nonsense gives an error that says so.
func TestFailingBoards(t *testing.T) {
	var calls atomic.Int32
	rows := []struct {
		name    string
		handler http.HandlerFunc
		want    string
		gone    bool // wraps ErrUnreachable
		unclear bool // wraps ErrUnclear
	}{
		{"500", func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(500) }, "the board answers 500", true, false},
		{"hangs up", func(http.ResponseWriter, *http.Request) { panic(http.ErrAbortHandler) }, "does not answer", true, false},
		{"no JSON", func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write([]byte("<html>")) }, "no JSON that fits", false, true},
		{"no systems", func(w http.ResponseWriter, _ *http.Request) {
			_, _ = w.Write([]byte(`{"Systems":{"@odata.id":"/s"},"Members":[]}`))
		}, "names no computer system", false, true},
		{"points elsewhere", func(w http.ResponseWriter, _ *http.Request) {
			_, _ = w.Write([]byte(`{"Systems":{"@odata.id":"http://192.0.2.1/"}}`))
		}, "not its own", false, false},
		{"says nothing", func(w http.ResponseWriter, _ *http.Request) {
			_, _ = w.Write([]byte(`{"Systems":{"@odata.id":"/s"},"Members":[{"@odata.id":"/s/1"}]}`))
		}, "neither that the machine is on", false, true},
		{"explains", func(w http.ResponseWriter, _ *http.Request) {
			w.WriteHeader(403)
			_, _ = w.Write([]byte(`{"error":{"@Message.ExtendedInfo":[{"Message":"No rights.","Resolution":"Log in as administrator."}]}}`))
		}, "No rights. Log in as administrator.", false, false},
		{"busy for a moment", func(w http.ResponseWriter, r *http.Request) {
			if calls.Add(1) == 1 {
				w.WriteHeader(503)
				return
			}
			_, _ = w.Write([]byte(`{"Systems":{"@odata.id":"/s"},"Members":[{"@odata.id":"/s/1"}],"PowerState":"On"}`))
		}, "", false, false},
	}
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			t.Parallel()
			server := httptest.NewServer(row.handler)
			defer server.Close()
			client, err := redfish.New(&outbound.Guard{}, server.URL, "", "")
			if err != nil {
				t.Fatal(err)
			}
			_, err = client.State(t.Context())
			if row.want == "" {
				if err != nil {
					t.Errorf("got %v, want success at the second try", err)
				}
				return
			}
			if err == nil || !strings.Contains(err.Error(), row.want) || errors.Is(err, firmware.ErrUnreachable) != row.gone ||
				errors.Is(err, firmware.ErrUnclear) != row.unclear {
				t.Errorf("got %v, want %q (unreachable: %v)", err, row.want, row.gone)
			}
		})
	}
	if _, err := redfish.New(&outbound.Guard{}, "petrel:8000", "", ""); err == nil {
		t.Error("an address without a scheme was taken")
	}
}

func TestCompareTellsEveryDifference(t *testing.T) {
	wanted := trim.Settings{"curve.all": part.Number(-10), "limit.ppt": part.Number(142), "memory.profile": part.Choice("rated")}
	found := trim.Settings{"curve.all": part.Number(0), "limit.ppt": part.Number(142)}
	got := trim.NotInForce(wanted, found)
	if len(got) != 2 || got[0].Key != "memory.profile" || got[0].Found.IsSet() || got[1].Key != "curve.all" ||
		got[1].Text != "asked -10, in force 0" {
		t.Errorf("got %+v", got)
	}
}
