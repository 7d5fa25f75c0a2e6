// Package parttest gives tests the part sheets of the demo's rigs.
package parttest

import (
	"testing"

	"zerokeel/core/part"
	"zerokeel/docs/examples"
)

// Rigs names the demo's rigs: both styles of limits, P- and E-cores, two clusters, locked parts.
var Rigs = []string{"petrel", "gannet", "skua", "tern", "dunlin"}

// Petrel returns the sheets of the rig Petrel, a copy for each caller.
func Petrel(t testing.TB) *part.Set {
	t.Helper()
	return Rig(t, "petrel")
}

// Rig returns the sheets of one of Rigs.
func Rig(t testing.TB, name string) *part.Set {
	t.Helper()
	text, err := examples.Files.ReadFile(name + ".parts.json")
	if err != nil {
		t.Fatal(err)
	}
	set, err := part.ParseSet(text)
	if err != nil {
		t.Fatalf("%s: %v", name, err)
	}
	return set
}
