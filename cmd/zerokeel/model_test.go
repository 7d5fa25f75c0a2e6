package main

import (
	"bytes"
	"encoding/json"
	"io"
	"math"
	"path/filepath"
	"strings"
	"testing"

	"zerokeel/core/machine"
	"zerokeel/core/preflight"
)

// model runs the command and returns what it prints.
func model(t *testing.T, args ...string) (string, error) {
	t.Helper()
	cmd := root()
	var out bytes.Buffer
	cmd.SetOut(&out)
	cmd.SetArgs(append([]string{"model", "--parts", "../../docs/examples/petrel.parts.json"}, args...))
	err := cmd.Execute()
	return out.String(), err
}

func TestModelPrintsSteadyStateAndSeries(t *testing.T) {
	limits := "../../docs/examples/limits.trim.json"
	text, err := model(t, "--trim", limits, "--ambient", "24", "--json")
	if err != nil {
		t.Fatal(err)
	}
	var steady machine.State
	if err := json.Unmarshal([]byte(text), &steady); err != nil {
		t.Fatal(err)
	}
	if len(steady.Cores) != 8 || steady.Limiter != "sustained power" || steady.PackageW > 142 {
		t.Errorf("steady state: %+v", steady)
	}
	text, err = model(t, "--trim", limits, "--ambient", "24", "--seconds", "2400", "--json")
	if err != nil {
		t.Fatal(err)
	}
	lines := strings.Split(strings.TrimSpace(text), "\n")
	var last struct {
		TimeS float64 `json:"timeS"`
		machine.State
	}
	if err := json.Unmarshal([]byte(lines[len(lines)-1]), &last); err != nil {
		t.Fatal(err)
	}
	if len(lines) != 2400 || math.Abs(last.TimeS-2400) > 0.05 || math.Abs(last.HottestC-steady.HottestC) > 0.2 {
		t.Errorf("%d lines, the last at %.2f s with %.2f °C; steady %.2f °C", len(lines), last.TimeS, last.HottestC, steady.HottestC)
	}
	if plain, err := model(t, "--load", "idle"); err != nil || !strings.Contains(plain, "idle load, held by none") ||
		strings.Count(plain, "core ") < 8 {
		t.Errorf("in words: %v\n%s", err, plain)
	}
}

// TestExamplesOnTheCommandLine runs model and preflight over every example: both styles of limits, fixed and adaptive
// voltage, bands, a reference clock, P- and E-cores.
func TestExamplesOnTheCommandLine(t *testing.T) {
	trims, err := filepath.Glob("../../docs/examples/*.trim.json")
	if err != nil || len(trims) < 9 {
		t.Fatalf("%d examples, %v", len(trims), err)
	}
	rigs, err := filepath.Glob("../../docs/examples/*.parts.json")
	if err != nil {
		t.Fatal(err)
	}
	for _, file := range trims {
		fits := 0
		for _, parts := range rigs {
			text, err := execute("preflight", "--parts", parts, "--trim", file, "--json")
			if err != nil {
				continue // it is for other parts
			}
			fits++
			var findings []preflight.Finding
			if err := json.Unmarshal([]byte(text), &findings); err != nil {
				t.Errorf("%s: %v", file, err)
			}
			for _, f := range findings {
				if f.Rule == "" || f.Level == preflight.Stop || f.Reason == "" || f.Remedy == "" {
					t.Errorf("%s: %+v", file, f)
				}
			}
			var s machine.State
			if text, err = execute("model", "--parts", parts, "--trim", file, "--json"); err != nil {
				t.Errorf("%s: %v", file, err)
			} else if err := json.Unmarshal([]byte(text), &s); err != nil || s.PackageW <= 0 || s.Overheats {
				t.Errorf("%s: %+v, %v", file, s, err)
			}
		}
		if fits != 1 {
			t.Errorf("%s fits %d of %d rigs", file, fits, len(rigs))
		}
	}
	if _, err := execute("preflight", "--parts", rigs[0], "--trim", "nowhere.trim.json"); err == nil {
		t.Error("a trim that is not there was checked")
	}
}

func execute(args ...string) (string, error) {
	cmd := root()
	var out bytes.Buffer
	cmd.SetOut(&out)
	cmd.SetErr(io.Discard)
	cmd.SetArgs(args)
	err := cmd.Execute()
	return out.String(), err
}

func TestModelRefusesNonsense(t *testing.T) {
	rows := map[string][]string{
		"no such file":           {"--trim", "nowhere.trim.json"},
		"trim that is no trim":   {"--trim", "../../docs/examples/petrel.parts.json"},
		"no such load":           {"--load", "warp"},
		"load that never rests":  {"--load", "transition"},
		"time out of range":      {"--seconds", "-5"},
		"room out of this world": {"--ambient", "900"},
	}
	for name, args := range rows {
		if _, err := model(t, args...); err == nil {
			t.Errorf("%s: no error", name)
		}
	}
}
