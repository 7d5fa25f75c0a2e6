package core_test

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
)

// insertion is text that a recipe puts into a file of the project, before a text that stands in it once.
type insertion struct{ file, before, text string }

// recipes follows three recipes of CONTRIBUTING.md with something made up. What each makes is looked at by a program that
// uses the changed packages; no other file is touched.
var recipes = []struct {
	title  string
	change []insertion
	probe  string // body of main; args[1] is Petrel's sheet, changed or not
	want   string
}{
	{"A setting", []insertion{
		{"core/trim/platform.go", `	{Key: "platform.virtualisation"`, `	{Key: "platform.halfBase", Group: GroupPlatform,
		Scope: part.ScopeRig, Type: TypeSwitch, Neutral: part.Switch(false), Name: "Half base clock", Meaning: "Halves the base clock."},
`},
		{"core/machine/tuning.go", `	if s.Switch("platform.spread", false) {`,
			"	if s.Switch(\"platform.halfBase\", false) {\n\t\tbase /= 2\n\t}\n"},
		{"docs/examples/petrel.parts.json", `      {
        "setting": "platform.virtualisation",`, `      {"setting": "platform.halfBase",
        "attribute": "HalfClk", "label": "Half Clock", "menu": ["Platform"],
        "values": {"true": "Enabled", "false": "Disabled"}, "default": false},
`},
	}, `
	on := trim.Settings{"platform.halfBase": part.Switch(true)}
	as, _ := machine.Tune(set, nil)
	half, err := machine.Tune(set, on)
	fmt.Println(slices.Contains(trim.Keys(set.Processor, set.Board), "platform.halfBase"),
		half.Clocks.ReferenceMHz/as.Clocks.ReferenceMHz, err)
	_, err = machine.Tune(set, trim.Settings{"platform.halfBase": part.Number(3)})
	fmt.Println(err != nil)`, "true 0.5 <nil>\ntrue\n"},

	{"A rule", []insertion{
		{"core/preflight/limits.go", "// unlimited reports", `// unlucky dislikes a number.
func unlucky(in *Input) []Finding {
	if in.Settings.Number("limit.ppt", 0) != 113 {
		return nil
	}
	return one(Note, []string{"limit.ppt"}, nil, "Take another.", "That number is unlucky.")
}

`},
		{"core/preflight/preflight.go", `	{"overheats", overheats},`, "	{\"unlucky\", unlucky},\n"},
	}, `
	for _, f := range preflight.Check(preflight.Input{Set: set, Settings: trim.Settings{"limit.ppt": part.Number(113)}}) {
		if f.Rule == "unlucky" {
			fmt.Println(f.Level, f.Fields, f.Reason, f.Remedy)
		}
	}`, "note [limit.ppt] That number is unlucky. Take another.\n"},

	{"A channel", []insertion{
		{"core/channel/registry.go", "	{Pattern: Limiter, ", `	{Pattern: "speed.pump",
		Quantity: speed, Unit: "rpm", Label: "Pump", Scope: ScopeMachine, Sum: SumMean},
`},
		{"rigside/sensors/sensors.go", "	f.alias()\n	return", `	if read := f.number("sys/pump", 1); f.text("sys/pump") != "" {
		f.add(channel.Of("speed.pump", 1), read)
	}
`},
	}, `
	for _, s := range sensors.Find(fstest.MapFS{"sys/pump": {Data: []byte("2800\n")}}, nil, time.Now) {
		if s.Key != "speed.pump" {
			continue
		}
		rpm, ok := s.Read()
		fmt.Println(s.Key, s.Label, rpm, s.Unit, ok)
	}`, "speed.pump Pump 2800 rpm true\n"},
}

const probe = `package main

import (
	"fmt"
	"os"
	"slices"
	"testing/fstest"
	"time"

	"zerokeel/core/machine"
	"zerokeel/core/part"
	"zerokeel/core/preflight"
	"zerokeel/core/trim"
	"zerokeel/rigside/sensors"
)

var _, _, _, _, _, _ = slices.Contains[[]string], fstest.MapFS{}, time.Now, machine.Tune, preflight.Check, sensors.Find
var _ = trim.Keys

func main() {
	text, _ := os.ReadFile(os.Args[1])
	set, err := part.ParseSet(text)
	if err != nil {
		panic(err)
	}
	_ = set
`

// TestRecipesNameEveryFile: whoever touches the files that a recipe names, and no others, has what the recipe promises.
func TestRecipesNameEveryFile(t *testing.T) {
	for _, r := range recipes {
		t.Run(r.title, func(t *testing.T) {
			named := filesOf(t, r.title)
			overlay := struct{ Replace map[string]string }{map[string]string{}}
			dir, sheet := t.TempDir(), "docs/examples/petrel.parts.json"
			for _, c := range r.change {
				at := slices.IndexFunc(named, func(pattern string) bool { ok, _ := filepath.Match(pattern, c.file); return ok })
				if at < 0 {
					t.Errorf("the recipe does not name %s", c.file)
					continue
				}
				named = slices.Delete(named, at, at+1)
				text := read(t, filepath.Join("..", c.file))
				if strings.Count(text, c.before) != 1 {
					t.Fatalf("%s holds %q %d times", c.file, c.before, strings.Count(text, c.before))
				}
				to := filepath.Join(dir, strings.ReplaceAll(c.file, "/", "_"))
				write(t, to, strings.Replace(text, c.before, c.text+c.before, 1))
				if c.file == sheet {
					sheet = to // read when the program runs, not when it is built
				} else {
					overlay.Replace[c.file] = to
				}
			}
			if len(named) > 0 {
				t.Errorf("the recipe names %q, which nothing needs", named)
			}
			write(t, filepath.Join(dir, "probe.go"), probe+r.probe+"\n}\n")
			overlay.Replace["cmd/recipe/main.go"] = filepath.Join(dir, "probe.go")
			list, _ := json.Marshal(overlay)
			write(t, filepath.Join(dir, "overlay.json"), string(list))
			run := exec.Command("go", "run", "-overlay", filepath.Join(dir, "overlay.json"), "./cmd/recipe", sheet)
			run.Dir = ".."
			out, err := run.CombinedOutput()
			if err != nil || string(out) != r.want {
				t.Errorf("%v: got %q, want %q", err, out, r.want)
			}
		})
	}
}

// filesOf returns the files that a recipe says must be touched: the bold ones of its section.
func filesOf(t *testing.T, title string) []string {
	t.Helper()
	_, section, ok := strings.Cut(read(t, "../CONTRIBUTING.md"), "\n### "+title+"\n")
	if !ok {
		t.Fatalf("CONTRIBUTING.md has no recipe %q", title)
	}
	section, _, _ = strings.Cut(section, "\n### ")
	var files []string
	for _, m := range regexp.MustCompile("\\*\\*`([^`]+)`\\*\\*").FindAllStringSubmatch(section, -1) {
		files = append(files, m[1])
	}
	return files
}

func read(t *testing.T, name string) string {
	t.Helper()
	text, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	return string(text)
}

func write(t *testing.T, name, text string) {
	t.Helper()
	if err := os.WriteFile(name, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
}
