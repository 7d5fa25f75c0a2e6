package store_test

import (
	"context"
	"maps"
	"slices"
	"strings"
	"testing"

	"zerokeel/store"
	"zerokeel/store/storetest"
)

// TestChannelsAreToldApart: names that are alike to a reader are channels of their own, under the same numbers in every process; one
// that cannot be kept whole is an error, and no other channel's number.
func TestChannelsAreToldApart(t *testing.T) {
	s, dsns := storetest.OpenDSN(t)
	other, err := store.Open(t.Context(), dsns...)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = other.Close() }()
	keys := []string{"temp.a", "Temp.A", "temp.a ", "temp.\u00e4", "temp.a\u0308", strings.Repeat("x", 99) + "y"}
	first, err := s.Numbers(t.Context(), keys...)
	if err != nil {
		t.Fatal(err)
	}
	slices.Reverse(keys)
	again, err := other.Numbers(t.Context(), keys...)
	if err != nil || !maps.Equal(first, again) {
		t.Errorf("another process has %v, %v; want %v", again, err, first)
	}
	seen := map[int64]bool{}
	for _, id := range first {
		seen[id] = true
	}
	if len(seen) != len(keys) || seen[0] {
		t.Errorf("%d numbers for %d names: %v", len(seen), len(keys), first)
	}
	for _, refused := range []string{strings.Repeat("x", 101), "\xff"} {
		if got, err := s.Numbers(context.Background(), refused); err == nil {
			t.Errorf("%.20q became %v", refused, got)
		}
	}
}
