package main

import (
	"encoding/json"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"zerokeel/core/part"
	"zerokeel/core/preflight"
	"zerokeel/core/trim"
)

func preflightCommand() *cobra.Command {
	var parts, trimFile, parentFile string
	var asJSON bool
	cmd := &cobra.Command{
		Use: "preflight", Short: "Check a trim before it is fitted, from part sheets alone", Args: cobra.NoArgs,
		Long:    "Check a trim before it is fitted, from part sheets alone. It ends with status 1 when a finding stops the trim.",
		Example: "  zerokeel preflight --parts docs/examples/petrel.parts.json --trim docs/examples/limits.trim.json --json",
		RunE: func(cmd *cobra.Command, _ []string) error {
			set, err := readParts(parts)
			if err != nil {
				return err
			}
			in := preflight.Input{Set: set}
			if in.Settings, err = readTrim(trimFile, set); err != nil {
				return err
			}
			if parentFile != "" {
				if in.Parent, err = readTrim(parentFile, set); err != nil {
					return err
				}
			}
			findings := preflight.Check(in)
			if asJSON {
				if findings == nil {
					findings = []preflight.Finding{}
				}
				e := json.NewEncoder(cmd.OutOrStdout())
				e.SetIndent("", "  ")
				if err := e.Encode(findings); err != nil {
					return fmt.Errorf("print: %w", err)
				}
			} else {
				for _, f := range findings {
					if _, err := fmt.Fprintf(cmd.OutOrStdout(), "%-7s  %s  %s  [%s]\n", f.Level, f.Reason, f.Remedy, f.Rule); err != nil {
						return fmt.Errorf("print: %w", err)
					}
				}
			}
			if level, _ := preflight.Worst(findings); level == preflight.Stop {
				return fmt.Errorf("preflight stops this trim")
			}
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&parts, "parts", "", "file of part sheets (.parts.json)")
	f.StringVar(&trimFile, "trim", "", "trim file (.trim.json)")
	f.StringVar(&parentFile, "parent", "", "trim file of the parent; without it the board's settings as delivered")
	f.BoolVar(&asJSON, "json", false, "print JSON")
	_ = cmd.MarkFlagRequired("parts")
	_ = cmd.MarkFlagRequired("trim")
	return cmd
}

func readParts(file string) (*part.Set, error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, fmt.Errorf("read part sheets: %w", err)
	}
	set, err := part.ParseSet(text)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	return set, nil
}

func readTrim(file string, set *part.Set) (trim.Settings, error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, fmt.Errorf("read trim: %w", err)
	}
	parsed, err := trim.ParseFile(text, set)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	return parsed.Settings, nil
}
