package main

import (
	"context"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	core "zerokeel/core/load"
	"zerokeel/rigside/load"
	"zerokeel/rigside/sensors"
)

// loadOptions are what the load command is asked for.
type loadOptions struct {
	seconds  float64
	cores    []int
	width    string
	memoryMB int
	turnS    float64
	inject   bool
	at       load.Inject
	afterS   float64
}

func loadCommand() *cobra.Command {
	var o loadOptions
	var list bool
	cmd := &cobra.Command{
		Use: "load [KIND]", Short: "Run a load on this machine alone, and look for wrong results",
		Long: "Runs one of the loads on this machine, without a server, and tells every second how fast each core works. It ends with\n" +
			"an error as soon as a result is wrong, and names the core.",
		Args: cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if list || len(args) == 0 {
				return listLoads(cmd.OutOrStdout())
			}
			return runLoad(cmd.Context(), cmd.OutOrStdout(), core.Kind(args[0]), o)
		},
	}
	f := cmd.Flags()
	f.BoolVar(&list, "list", false, "list the loads and what each finds")
	f.Float64Var(&o.seconds, "seconds", 60, "for how long")
	f.IntSliceVar(&o.cores, "cores", nil, "the cores to load, such as 0,2 (all of them)")
	f.StringVar(&o.width, "width", "widest", "of the vectors: widest, portable, 256, 512")
	f.IntVar(&o.memoryMB, "memory", 1024, "MB of memory that a memory load goes over")
	f.Float64Var(&o.turnS, "turn", 5, "seconds on each core, of a load that runs on one core at a time")
	f.BoolVar(&o.inject, "inject", false, "flip one bit in one worker's data, to show that it is found")
	f.IntVar(&o.at.Place, "inject-core", 0, "the core whose data is disturbed")
	f.Float64Var(&o.afterS, "inject-after", 1, "after how many seconds")
	f.Uint64Var(&o.at.Seed, "inject-seed", 1, "tells which bit")
	return cmd
}

func listLoads(out io.Writer) error {
	w := tabwriter.NewWriter(out, 0, 0, 2, ' ', 0)
	fmt.Fprintln(w, "KIND\tREGIME\tFINDS")
	for _, k := range core.Kinds {
		fmt.Fprintf(w, "%s\t%s\t%s\n", k, k.Regime(), k.Finds())
	}
	return w.Flush()
}

func runLoad(ctx context.Context, out io.Writer, kind core.Kind, o loadOptions) error {
	if !kind.Valid() {
		return fmt.Errorf("%q is no load; use one of %q", kind, core.Kinds)
	}
	width, err := load.ParseWidth(o.width)
	if err != nil {
		return err
	}
	if !(o.seconds > 0 && o.turnS > 0) {
		return fmt.Errorf("--seconds %g and --turn %g must be above 0", o.seconds, o.turnS)
	}
	processors, err := sensors.Allowed()
	if err != nil {
		return err
	}
	machine := sensors.Cores(os.DirFS("/"), processors)
	if o.cores == nil {
		for i := range machine {
			o.cores = append(o.cores, i)
		}
	}
	spec := load.Spec{Kind: kind, Width: width, MemoryMB: o.memoryMB}
	for i, c := range o.cores {
		if c < 0 || c >= len(machine) || slices.Contains(o.cores[:i], c) {
			return fmt.Errorf("--cores: %d is no core of this machine, or named twice; it has 0 to %d", c, len(machine)-1)
		}
		spec.CPUs = append(spec.CPUs, machine[c].CPUs)
	}
	if o.inject {
		place := slices.Index(o.cores, o.at.Place)
		if place < 0 {
			return fmt.Errorf("--inject-core: core %d is not loaded", o.at.Place)
		}
		spec.Inject = &load.Inject{Place: place, After: time.Duration(o.afterS * float64(time.Second)), Seed: o.at.Seed}
	}
	free, ok := sensors.FreeMB(os.DirFS("/"))
	if kind == core.Memory && ok && float64(o.memoryMB) > free {
		return fmt.Errorf("--memory: %d MB are asked for, and %.0f MB are free", o.memoryMB, free)
	}
	fmt.Fprintf(out, "%s, cores: %d, %s, for %g s; it finds %s\n", kind, len(spec.CPUs), width, o.seconds, kind.Finds())
	return followLoad(ctx, out, load.Start(ctx, spec), spec, o)
}

// followLoad tells how a drill goes until it ends.
func followLoad(ctx context.Context, out io.Writer, d *load.Drill, spec load.Spec, o loadOptions) error {
	defer d.Stop(3 * time.Second)
	started := time.Now()
	end := time.NewTimer(time.Duration(o.seconds * float64(time.Second)))
	defer end.Stop()
	tick := time.NewTicker(time.Second)
	defer tick.Stop()
	last, at := make([]uint64, len(spec.CPUs)), started
	for {
		select {
		case <-ctx.Done():
			return fmt.Errorf("stopped by hand after %.0f s", time.Since(started).Seconds())
		case err := <-d.Failed():
			return err
		case f := <-d.Faults():
			text := fmt.Sprintf("core %d returned a wrong result after %.3f s", o.cores[f.Place], f.At.Seconds())
			if f.Injected {
				text += fmt.Sprintf(", %.1f ms after one bit was flipped on purpose", float64((f.At-d.InjectedAt()).Microseconds())/1000)
			}
			return fmt.Errorf("%s", text)
		case now := <-tick.C:
			if spec.Kind.OneCore() {
				d.Turn(int(now.Sub(started).Seconds()/o.turnS) % len(spec.CPUs))
			}
			work := d.Work()
			var parts []string
			for i, n := range work {
				parts = append(parts, fmt.Sprintf("core %d %.2f", o.cores[i], float64(n-last[i])/now.Sub(at).Seconds()/1e6))
			}
			last, at = work, now
			line := fmt.Sprintf("%5.0f s  %s Gop/s", now.Sub(started).Seconds(), strings.Join(parts, "  "))
			if spec.Kind == core.Memory {
				line += fmt.Sprintf("  %.0f %% covered", 100*d.Coverage())
			}
			fmt.Fprintln(out, line)
		case <-end.C:
			fmt.Fprintf(out, "held for %g s\n", o.seconds)
			return nil
		}
	}
}
