// Command zerokeel is the whole of Zero Keel: the server, the rig's agent, the stand-ins, the demo, and the models on
// the command line. Each subcommand wires packages together and does nothing else.
package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"zerokeel/core/invalid"
	"zerokeel/quiet"
	"zerokeel/rigside/bench"
)

func main() {
	if bench.IsFirst() {
		bench.Run()
		return
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := root().ExecuteContext(ctx); err != nil {
		report(err)
		os.Exit(1)
	}
}

func root() *cobra.Command {
	cmd := &cobra.Command{
		Use: "zerokeel", Short: "Tune desktop processors in firmware, prove each configuration, and keep what was learned",
		SilenceUsage: true, SilenceErrors: true,
	}
	cmd.AddCommand(serveCommand(), ownerCommand(), recordCommand(), archiveCommand(), backupCommand(), restoreCommand(),
		standinCommand(), agentCommand(), stickCommand(), loadCommand(),
		modelCommand(), preflightCommand(), surveyCommand(), demoCommand(), dbCommand(), shotsCommand(), versionCommand())
	return cmd
}

// report prints an error: a list of faults a line each.
func report(err error) {
	var faults invalid.List
	if errors.As(err, &faults) {
		fmt.Fprintln(os.Stderr, "zerokeel: the input has faults:")
		for _, f := range faults {
			fmt.Fprintln(os.Stderr, "  "+f.Error())
		}
		return
	}
	fmt.Fprintln(os.Stderr, "zerokeel: "+err.Error())
}

func logger() *slog.Logger {
	return slog.New(quiet.Handler(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelInfo}), time.Now))
}
