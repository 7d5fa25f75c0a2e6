package main

import (
	"fmt"
	"slices"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"zerokeel/core/survey"
	"zerokeel/standin/chips"
)

func surveyCommand() *cobra.Command {
	var plan, simulate bool
	var cores, count int
	var minutes float64
	var seed uint64
	var each string
	kind := chips.Usual
	cmd := &cobra.Command{
		Use: "survey", Short: "Plan how deep each core may go, trial by trial", Args: cobra.NoArgs,
		Long: "Plan how deep each core may go, trial by trial.\n\n" +
			"With --plan it plans a survey in conversation on standard input and output, one JSON object a line: it is told a setup, answers\n" +
			"with an order, is told its outcome, and so on until it answers with the result.\n\n" +
			"With --simulate it surveys simulated chips, and tells how deep it came, and how often it was wrong.",
		Example: "  zerokeel survey --plan\n  zerokeel survey --simulate --cores 8 --minutes 110 --chips 20",
		RunE: func(cmd *cobra.Command, _ []string) error {
			switch {
			case plan == simulate:
				return fmt.Errorf("say what to do: --plan or --simulate")
			case plan:
				return survey.Plan(cmd.InOrStdin(), cmd.OutOrStdout())
			case count < 1:
				return fmt.Errorf("--chips: give at least 1")
			}
			setup := chips.Setup(cores, minutes)
			setup.Each = survey.Each(each)
			found, err := chips.Measure(setup, kind, count, seed)
			if err != nil {
				return err
			}
			w := tabwriter.NewWriter(cmd.OutOrStdout(), 0, 0, 2, ' ', 0)
			slices.Sort(found.Took)
			_, err = fmt.Fprintf(w, "chips\t%d\ncores\t%d\nbench time\t%.0f min\norders\t%.1f\nclears\t%.1f\nshort of an oracle\t%.1f steps\n"+
				"falsely stable\t%.1f %%\nabove 1 in 2 a day\t%d\nrisk a day, stated\t%.2f %%\nrisk a day, true\t%.2f %%\n"+
				"true risk below, above its 90 %% bounds\t%.0f %%, %.0f %%\n"+
				"limits inside 90 %% bounds\t%.0f %%\ntime an order, median\t%v\ntime an order, longest\t%v\n",
				found.Chips, cores, found.BenchMin, found.Orders, found.Clears, found.Short, 100*found.FalselyStable, found.Awful,
				100*found.Stated, 100*found.True, 100*found.Under, 100*found.Over, 100*found.Inside,
				found.Took[len(found.Took)/2].Round(time.Millisecond), found.Took[len(found.Took)-1].Round(time.Millisecond))
			if err != nil {
				return err
			}
			return w.Flush()
		},
	}
	f := cmd.Flags()
	f.BoolVar(&plan, "plan", false, "plan in conversation on standard input and output")
	f.BoolVar(&simulate, "simulate", false, "survey simulated chips")
	f.IntVar(&cores, "cores", 8, "cores of each simulated chip, eight to a cluster")
	f.Float64Var(&minutes, "minutes", 110, "bench time of each survey; 0 leaves it to the survey")
	f.StringVar(&each, "each", "core", "what has a setting of its own: core, cluster or chip")
	f.IntVar(&count, "chips", 20, "how many chips")
	f.Uint64Var(&seed, "seed", 1, "seed of the first")
	f.Float64Var(&kind.Outliers, "outliers", kind.Outliers, "share of the cores that are much weaker in one regime")
	f.Float64Var(&kind.Known, "slope-known", 0, "how well a fleet knows each chip's slope, as a share; 0 is not at all")
	f.BoolVar(&kind.Nameless, "nameless", false, "no fault names its core")
	return cmd
}
