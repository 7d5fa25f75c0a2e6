// Package core_test guards what the architecture promises of the folders' dependencies.
package core_test

import (
	"os/exec"
	"slices"
	"strings"
	"testing"
)

// module is the import path of the whole.
const module = "zerokeel"

// imported lists what each package of the project imports, by the go command: directly, or by way of others too.
func imported(t *testing.T, field string) map[string][]string {
	t.Helper()
	out, err := exec.Command("go", "list", "-f", "{{.ImportPath}} {{join ."+field+" \" \"}}", module+"/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	list := map[string][]string{}
	for line := range strings.Lines(string(out)) {
		fields := strings.Fields(line)
		list[fields[0]] = fields[1:]
	}
	if len(list) < 20 {
		t.Fatalf("only %d packages were listed", len(list))
	}
	return list
}

// under reports whether a package is a folder of the project or lies in it.
func under(name, folder string) bool {
	return name == module+"/"+folder || strings.HasPrefix(name, module+"/"+folder+"/")
}

// layers are the folders from the top down: each may import those below it, and none above. What stands beside the
// layers says so itself.
var layers = []string{"server", "runner", "pilot", "workshop", "store", "firmware", "link", "core"}

// TestLayers: arrows point down. Helpers for tests stand outside the layers.
func TestLayers(t *testing.T) {
	for name, list := range imported(t, "Imports") {
		if strings.HasSuffix(name, "test") {
			continue
		}
		at := slices.IndexFunc(layers, func(folder string) bool { return under(name, folder) })
		for _, one := range list {
			above := slices.IndexFunc(layers, func(folder string) bool { return under(one, folder) })
			if at >= 0 && above >= 0 && above < at {
				t.Errorf("%s imports %s, which stands above it", name, one)
			}
		}
	}
}

// TestNeverImported lists what folders may not import, not even by way of others.
func TestNeverImported(t *testing.T) {
	all := imported(t, "Deps")
	for _, rule := range []struct{ why, from, to string }{
		{"the server cannot tell a stand-in from a real rig", "server", "standin"},
		{"what drives trials must find out what stand-ins hide", "runner", "standin"},
		{"what is done must not know what stand-ins hide", "workshop", "standin"},
		{"what flies a survey must find out what stand-ins hide", "pilot", "standin"},
		{"a forecast may know only part sheets and records", "core", "standin"},
		{"the board is reached over the network", "firmware", "standin"},
		{"the two ends of the link share nothing but its protocol", "standin", "store"},
		{"the two ends of the link share nothing but its protocol", "standin", "server"},
		{"the two ends of the link share nothing but its protocol", "standin", "runner"},
		{"a stand-in's board speaks Redfish, it does not share code with who asks", "standin", "firmware"},
		{"the two ends of the link share nothing but its protocol", "rigside", "store"},
		{"the two ends of the link share nothing but its protocol", "rigside", "server"},
		{"the two ends of the link share nothing but its protocol", "rigside", "runner"},
		{"a real rig simulates nothing", "rigside", "standin"},
	} {
		for name, list := range all {
			if !under(name, rule.from) || strings.HasSuffix(name, "test") {
				continue
			}
			for _, one := range list {
				if under(one, rule.to) {
					t.Errorf("%s imports %s: %s", name, one, rule.why)
				}
			}
		}
	}
}

// TestServerCarries: the server decodes, calls the workshop and encodes. It reaches for neither rows nor boards nor drivers,
// and of core it knows the types that the API's description names, nothing that computes.
func TestServerCarries(t *testing.T) {
	all := imported(t, "Imports")
	named := all[module+"/server/api"]
	for _, one := range all[module+"/server"] {
		ours := strings.HasPrefix(one, module+"/")
		if ours && under(one, "core") && !slices.Contains(named, one) {
			t.Errorf("server imports %s, which the API does not name", one)
		}
		for _, folder := range []string{"store", "firmware", "runner", "rigside"} {
			if under(one, folder) {
				t.Errorf("server imports %s; ask the workshop", one)
			}
		}
	}
}

// TestWorkshopKnowsNoPage: what can be done is done without HTTP.
func TestWorkshopKnowsNoPage(t *testing.T) {
	for name, list := range imported(t, "Imports") {
		if !under(name, "workshop") {
			continue
		}
		for _, one := range list {
			if one == "net/http" || strings.HasPrefix(one, "github.com/labstack/echo") || under(one, "server") {
				t.Errorf("%s imports %s", name, one)
			}
		}
	}
}

// TestCoreComputes: core takes the standard library, gonum and itself, and of the standard library nothing that reaches
// outside.
func TestCoreComputes(t *testing.T) {
	outside := []string{"os", "net", "net/http", "database/sql", "log", "log/slog"}
	for name, list := range imported(t, "Imports") {
		if !under(name, "core") || strings.HasSuffix(name, "test") {
			continue
		}
		for _, one := range list {
			foreign := strings.Contains(strings.Split(one, "/")[0], ".") && !strings.HasPrefix(one, "gonum.org/")
			if foreign || slices.Contains(outside, one) || strings.HasPrefix(one, module+"/") && !under(one, "core") {
				t.Errorf("%s imports %s", name, one)
			}
		}
	}
}
