package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// TestSecretsAreNoArguments: nothing that is secret can be given as an argument, which every program on a machine can read.
func TestSecretsAreNoArguments(t *testing.T) {
	file := filepath.Join(t.TempDir(), "dsn")
	if err := os.WriteFile(file, []byte("u:secret@tcp(10.0.0.1:3306)/zk\nu:secret@tcp(10.0.0.2:3306)/zk\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	for _, row := range []struct {
		given []string
		file  string
		want  int // names; 0 for an error
	}{
		{[]string{"root@unix(/m.sock)/zk"}, "", 1},
		{nil, file, 2},
		{[]string{"root@unix(/m.sock)/zk"}, file, 3},
		{[]string{"u:secret@tcp(10.0.0.1:3306)/zk"}, "", 0},
		{nil, "", 0},
		{nil, file + "x", 0},
	} {
		got, err := databases(row.given, row.file)
		if len(got) != row.want || (err == nil) != (row.want > 0) || err != nil && strings.Contains(err.Error(), "secret@") {
			t.Errorf("%v, %q: %v, %v", row.given, row.file, got, err)
		}
	}
	for _, command := range root().Commands() {
		for _, secret := range []string{"token", "password"} {
			if f := command.Flags().Lookup(secret); f != nil {
				t.Errorf("%s takes its %s as an argument", command.Name(), secret)
			}
		}
	}
	t.Setenv(tokenEnv, "from the environment")
	if got, err := secret("", tokenEnv); err != nil || got != "from the environment" {
		t.Errorf("%q, %v", got, err)
	}
	if got, err := secret(file, tokenEnv); err != nil || !strings.HasPrefix(got, "u:secret") {
		t.Errorf("%q, %v", got, err)
	}
}
