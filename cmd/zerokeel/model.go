package main

import (
	"encoding/json"
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"zerokeel/core/load"
	"zerokeel/core/machine"
	"zerokeel/core/silicon"
	"zerokeel/core/trim"
)

func modelCommand() *cobra.Command {
	var parts, trimFile, kind string
	var ambient, seconds float64
	var asJSON bool
	cmd := &cobra.Command{
		Use: "model", Short: "Compute what a trim does, from part sheets alone", Args: cobra.NoArgs,
		Example: "  zerokeel model --parts docs/examples/petrel.parts.json --trim docs/examples/limits.trim.json --load heavy --ambient 24",
		RunE: func(cmd *cobra.Command, _ []string) error {
			model, err := readModel(parts, trimFile)
			if err != nil {
				return err
			}
			if seconds == 0 {
				s, err := model.Steady(load.Kind(kind), nil, ambient)
				if err != nil {
					return err
				}
				return printState(cmd.OutOrStdout(), s, model.Set().Cooler.Carrier(), asJSON)
			}
			return printSeries(cmd.OutOrStdout(), model, load.Kind(kind), ambient, seconds, asJSON)
		},
	}
	f := cmd.Flags()
	f.StringVar(&parts, "parts", "", "file of part sheets (.parts.json)")
	f.StringVar(&trimFile, "trim", "", "trim file (.trim.json); without it the board's settings as delivered")
	f.StringVar(&kind, "load", "heavy", "idle, light, mixed, heavy or transition")
	f.Float64Var(&ambient, "ambient", 22, "room temperature in °C")
	f.Float64Var(&seconds, "seconds", 0, "step this long in time and print a series; 0 prints the steady state")
	f.BoolVar(&asJSON, "json", false, "print JSON, a line per state")
	_ = cmd.MarkFlagRequired("parts")
	return cmd
}

func readModel(partsFile, trimFile string) (*machine.Model, error) {
	set, err := readParts(partsFile)
	if err != nil {
		return nil, err
	}
	settings := trim.Settings{}
	if trimFile != "" {
		if settings, err = readTrim(trimFile, set); err != nil {
			return nil, err
		}
	}
	tuning, err := machine.Tune(set, settings)
	if err != nil {
		return nil, err
	}
	return machine.NewModel(set, tuning, silicon.Typical(set.Processor))
}

// Steps of a series: the model moves by stepS, a state is printed every printS.
const (
	stepS  = 0.01
	printS = 1.0
)

func printSeries(w io.Writer, model *machine.Model, kind load.Kind, ambient, seconds float64, asJSON bool) error {
	if !kind.Valid() {
		return fmt.Errorf("%q is no load; use one of %q", kind, load.Kinds)
	}
	if !(seconds > 0 && seconds <= 86400) {
		return fmt.Errorf("--seconds %g is out of range; give up to 86400", seconds)
	}
	m := machine.New(model, ambient)
	m.SetLoad(kind, nil, 0)
	if !asJSON {
		_, _ = fmt.Fprintln(w, "   s    MHz  req V  die V      A      W  hottest °C  limiter")
	}
	for next := printS; m.Time() < seconds; {
		m.Step(stepS)
		if m.Time() < next-stepS/2 {
			continue
		}
		next += printS
		s := m.State()
		var err error
		if asJSON {
			err = json.NewEncoder(w).Encode(struct {
				TimeS float64 `json:"timeS"`
				machine.State
			}{m.Time(), s})
		} else {
			_, err = fmt.Fprintf(w, "%4.0f  %5.0f  %.3f  %.3f  %5.1f  %5.1f  %10.1f  %s\n", m.Time(), s.MeanMHz, s.RequestV, s.DeliveredV, s.Amps,
				s.PackageW, s.HottestC, s.Limiter)
		}
		if err != nil {
			return fmt.Errorf("print: %w", err)
		}
	}
	return nil
}

// printState prints a settled machine; carrier is what takes the heat off its cooler's base.
func printState(w io.Writer, s machine.State, carrier string, asJSON bool) error {
	if asJSON {
		e := json.NewEncoder(w)
		e.SetIndent("", "  ")
		if err := e.Encode(s); err != nil {
			return fmt.Errorf("print: %w", err)
		}
		return nil
	}
	var b strings.Builder
	fmt.Fprintf(&b, "%s load, held by %s\n", s.Load, s.Limiter)
	fmt.Fprintf(&b, "core voltage   %.3f V requested, %.3f V delivered, %.3f V dip, %.3f V overshoot\n", s.RequestV, s.DeliveredV, s.DipV,
		s.OvershootV)
	fmt.Fprintf(&b, "power          %.1f W package at %.1f A, %.1f W at the wall\n", s.PackageW, s.Amps, s.WallW)
	fmt.Fprintf(&b, "temperature    %.1f °C hottest core, %.1f °C %s, %.1f °C VRM\n", s.HottestC, s.CoolantC, carrier, s.VRMC)
	fmt.Fprintf(&b, "fan            %.0f %%, %.0f rpm, %.1f dB(A)\n", s.FanDuty, s.FanRPM, s.NoiseDB)
	for i, c := range s.Cores {
		fmt.Fprintf(&b, "core %-2d        %5.0f MHz, asks %.3f V, %5.2f W, %5.1f °C\n", i, c.EffectiveMHz, c.RequestV, c.PowerW, c.TemperatureC)
	}
	_, err := io.WriteString(w, b.String())
	if err != nil {
		return fmt.Errorf("print: %w", err)
	}
	return nil
}
