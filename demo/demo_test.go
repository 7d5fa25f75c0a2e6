package demo

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// TestOtherMachinesAreNotTaken: what an earlier version's demo left behind is neither run with this one's machines nor touched.
func TestOtherMachinesAreNotTaken(t *testing.T) {
	dir := t.TempDir()
	state := filepath.Join(dir, "demo.json")
	const kept = `{"loaded":true,"machines":"others","rigs":{"petrel":1}}`
	if err := os.WriteFile(state, []byte(kept), 0o600); err != nil {
		t.Fatal(err)
	}
	err := Run(t.Context(), Options{Dir: dir})
	if err == nil || !strings.Contains(err.Error(), "--fresh") || !strings.Contains(err.Error(), dir) {
		t.Errorf("%v, want what to do", err)
	}
	if text, err := os.ReadFile(state); err != nil || string(text) != kept {
		t.Errorf("its state is now %q, %v", text, err)
	}
	if entries, err := os.ReadDir(dir); err != nil || len(entries) != 1 {
		t.Errorf("the folder holds %d things, %v", len(entries), err)
	}
}
