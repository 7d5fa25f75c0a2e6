package store_test

import (
	"sync"
	"testing"

	"zerokeel/core/trim"
	"zerokeel/store"
	"zerokeel/store/storetest"
)

// TestChangesAtOnce: of changes of one rig at the same time none is lost, and none takes a new token back.
func TestChangesAtOnce(t *testing.T) {
	s := storetest.Open(t)
	r := &store.Rig{Name: "r", TokenHash: make([]byte, 32), AmbientC: 1}
	if err := s.CreateRig(t.Context(), r, &store.Trim{Name: "stock", Settings: store.AsJSON(trim.Settings{})}, true); err != nil {
		t.Fatal(err)
	}
	renewed := append(make([]byte, 31), 7)
	const times = 20
	var all sync.WaitGroup
	for i := range times {
		all.Go(func() {
			if err := s.ChangeRig(t.Context(), r.ID, func(r *store.Rig) error { r.AmbientC++; r.Note += "x"; return nil }); err != nil {
				t.Error(err)
			}
		})
		if i == times/2 {
			all.Go(func() {
				if err := s.RenewToken(t.Context(), r.ID, renewed); err != nil {
					t.Error(err)
				}
			})
		}
	}
	all.Wait()
	got, err := s.RigByToken(t.Context(), renewed)
	if err != nil || got.AmbientC != 1+times || len(got.Note) != times {
		t.Errorf("%+v, %v", got, err)
	}
}
