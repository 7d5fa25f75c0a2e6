package main

import (
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"zerokeel/link"
	"zerokeel/rigside/agent"
)

func agentCommand() *cobra.Command {
	var cfg agent.Config
	var inject bool
	var at link.Inject
	cmd := &cobra.Command{
		Use: "agent", Short: "Link this machine to a server, and run the loads it orders", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			cfg.Root, cfg.Log = os.DirFS("/"), logger()
			if inject {
				cfg.Inject = &at
			}
			return agent.Run(cmd.Context(), cfg)
		},
	}
	f := cmd.Flags()
	f.StringVar(&cfg.Server, "server", "http://127.0.0.1:7350", "address of the server")
	f.StringVar(&cfg.Token, "token", os.Getenv("ZEROKEEL_TOKEN"), "the rig's token, from its page; or in ZEROKEEL_TOKEN")
	f.StringVar(&cfg.StateDir, "state", filepath.Join("/var", "lib", "zerokeel"), "folder of the journal")
	f.BoolVar(&inject, "inject", false, "flip one bit in one worker's data of every leg, to show that faults are found")
	f.IntVar(&at.Core, "inject-core", 0, "the core whose data is disturbed")
	f.Float64Var(&at.AfterS, "inject-after", 1, "after how many seconds")
	return cmd
}
