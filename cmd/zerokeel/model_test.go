package main

import (
	"bytes"
	"encoding/json"
	"math"
	"strings"
	"testing"

	"zerokeel/core/machine"
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
	if plain, err := model(t, "--load", "idle"); err != nil || !strings.Contains(plain, "idle load, held by none") || strings.Count(plain, "core ") < 8 {
		t.Errorf("in words: %v\n%s", err, plain)
	}
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
