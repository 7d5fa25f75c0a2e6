// Package core_test guards what the architecture promises of the folders' dependencies.
package core_test

import (
	"os/exec"
	"strings"
	"testing"
)

// TestImportRules asks the go command what each package imports.
func TestImportRules(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", "{{.ImportPath}} {{join .Imports \" \"}}", "zerokeel/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	imports := map[string][]string{}
	for line := range strings.Lines(string(out)) {
		fields := strings.Fields(line)
		imports[fields[0]] = fields[1:]
	}
	if len(imports) < 20 {
		t.Fatalf("only %d packages were listed", len(imports))
	}
	under := func(name, folder string) bool {
		return name == "zerokeel/"+folder || strings.HasPrefix(name, "zerokeel/"+folder+"/")
	}
	forbidden := []struct {
		from string
		to   []string
	}{
		{"core", []string{"os", "net", "net/http", "database/sql", "log", "log/slog"}},
		{"core", []string{"zerokeel/link", "zerokeel/firmware", "zerokeel/store", "zerokeel/server", "zerokeel/runner", "zerokeel/standin", "zerokeel/rigside/agent"}},
		{"core/forecast", []string{"zerokeel/standin", "zerokeel/core/stability"}},
		{"standin", []string{"zerokeel/store", "zerokeel/server", "zerokeel/runner", "zerokeel/firmware"}},
		{"rigside", []string{"zerokeel/store", "zerokeel/server", "zerokeel/runner", "zerokeel/standin"}},
		{"firmware", []string{"zerokeel/standin", "zerokeel/store", "zerokeel/server"}},
		{"link", []string{"zerokeel/store", "zerokeel/server", "zerokeel/runner", "zerokeel/standin"}},
		{"store", []string{"zerokeel/server", "zerokeel/runner", "zerokeel/standin"}},
		{"runner", []string{"zerokeel/server", "zerokeel/standin"}},
		{"server", []string{"zerokeel/standin", "zerokeel/demo"}},
	}
	for name, list := range imports {
		for _, rule := range forbidden {
			// Helpers for tests stand outside the layers.
			if !under(name, rule.from) || strings.HasSuffix(name, "test") {
				continue
			}
			for _, one := range list {
				for _, bad := range rule.to {
					if one == bad {
						t.Errorf("%s imports %s", name, one)
					}
				}
			}
		}
		if !under(name, "core") {
			continue
		}
		for _, one := range list {
			external := strings.Contains(strings.Split(one, "/")[0], ".")
			if external && !strings.HasPrefix(one, "gonum.org/") {
				t.Errorf("%s imports %s; core takes the standard library, gonum and itself", name, one)
			}
		}
	}
}
