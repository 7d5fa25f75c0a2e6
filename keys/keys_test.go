package keys_test

import (
	"errors"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"zerokeel/keys"
)

func folder(t *testing.T, dir string) keys.Folder {
	t.Helper()
	f, err := keys.Open(dir)
	if err != nil {
		t.Fatal(err)
	}
	return f
}

// TestSecretsOpenForTheirPurpose: with the same key file, for the same purpose, unchanged; and in no other case.
func TestSecretsOpenForTheirPurpose(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "keys")
	one, err := folder(t, dir).Seal()
	if err != nil {
		t.Fatal(err)
	}
	again, err := folder(t, dir).Seal()
	if err != nil {
		t.Fatal(err)
	}
	const secret = "hunter\u00fc 2"
	stored := one.Close("board http://a", secret)
	if strings.Contains(stored, secret) || !keys.IsSealed(stored) || one.Close("board http://a", secret) == stored {
		t.Errorf("stored as %s", stored)
	}
	if got, err := again.Open("board http://a", stored); err != nil || got != secret {
		t.Errorf("opened to %q, %v", got, err)
	}
	for name, open := range map[string]func() (string, error){
		"another purpose": func() (string, error) { return one.Open("board http://b", stored) },
		"another key":     func() (string, error) { return keys.Passing().Open("board http://a", stored) },
		"cut":             func() (string, error) { return one.Open("board http://a", stored[:len(stored)-3]) },
		"garbage":         func() (string, error) { return one.Open("board http://a", "sealed:1:%%") },
	} {
		if got, err := open(); !errors.Is(err, keys.ErrSealed) || got != "" {
			t.Errorf("%s: %q, %v", name, got, err)
		}
	}
	if got, err := one.Open("x", "plain"); err != nil || got != "plain" {
		t.Errorf("what was never sealed opens to %q, %v", got, err)
	}
	if one.Close("x", "") != "" {
		t.Error("nothing is sealed to something")
	}
}

// TestKeysAreMadeOnce: processes that start at once share one key, which nobody else may read.
func TestKeysAreMadeOnce(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "keys")
	f := folder(t, dir)
	var all [8]*keys.Seal
	var group sync.WaitGroup
	for i := range all {
		group.Go(func() { all[i], _ = f.Seal() })
	}
	group.Wait()
	stored := all[0].Close("p", "secret")
	for i, s := range all {
		if got, err := s.Open("p", stored); err != nil || got != "secret" {
			t.Errorf("process %d has another key: %v", i, err)
		}
	}
	entries, err := os.ReadDir(dir)
	if err != nil || len(entries) != 1 {
		t.Fatalf("%v in the folder, %v", entries, err)
	}
	if at, err := entries[0].Info(); err != nil || at.Mode().Perm() != 0o600 {
		t.Errorf("the key is open to others: %v, %v", at.Mode(), err)
	}
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	if _, err := keys.Open(dir); err == nil || !strings.Contains(err.Error(), "chmod 700") {
		t.Errorf("a folder that others can read is taken: %v", err)
	}
	if err := os.Chmod(dir, 0o700); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dir, "secrets.key"), []byte("short"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := folder(t, dir).Seal(); err == nil {
		t.Error("a cut key is taken")
	}
}
