// Package parttest gives tests the part sheets of the demo's rig Petrel.
package parttest

import (
	"os"
	"path/filepath"
	"runtime"
	"testing"

	"zerokeel/core/part"
)

// Petrel returns the sheets of docs/examples/petrel.parts.json, a copy for each caller.
func Petrel(t testing.TB) *part.Set {
	t.Helper()
	_, here, _, _ := runtime.Caller(0)
	text, err := os.ReadFile(filepath.Join(filepath.Dir(here), "..", "..", "..", "docs", "examples", "petrel.parts.json"))
	if err != nil {
		t.Fatal(err)
	}
	set, err := part.ParseSet(text)
	if err != nil {
		t.Fatal(err)
	}
	return set
}
