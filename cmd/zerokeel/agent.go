package main

import (
	"fmt"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"zerokeel/link"
	"zerokeel/rigside/agent"
	"zerokeel/rigside/headers"
)

func agentCommand() *cobra.Command {
	var cfg agent.Config
	var inject bool
	var tokenFile string
	var at link.Inject
	cmd := &cobra.Command{
		Use: "agent", Short: "Link this machine to a server, and run the loads it orders", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			cfg.Root, cfg.Files, cfg.Log = os.DirFS("/"), headers.OnDisk("/"), logger()
			var err error
			if cfg.Server.Token, err = secret(tokenFile, tokenEnv); err != nil {
				return err
			}
			if err := cfg.Server.Check(); err != nil {
				return fmt.Errorf("--server: %w", err)
			}
			if inject {
				cfg.Inject = &at
			}
			return agent.Run(cmd.Context(), cfg)
		},
	}
	f := cmd.PersistentFlags()
	f.StringVar(&cfg.Server.Address, "server", "http://127.0.0.1:7350", "address of the server; of https beyond this machine")
	f.StringVar(&cfg.Server.Fingerprint, "fingerprint", "", "by what a server of https is known, from the rig's page")
	f.StringVar(&tokenFile, "token-file", "", "file that holds the rig's token, from its page; without one, ZEROKEEL_TOKEN does")
	f.StringVar(&cfg.StateDir, "state", filepath.Join("/var", "lib", "zerokeel"), "folder of the journal and the spool")
	f.Float64Var(&cfg.Rate, "rate", 1, "readings of every sensor per second, 1 to 10")
	f.BoolVar(&inject, "inject", false, "flip one bit in one worker's data of every leg, to show that faults are found")
	f.IntVar(&at.Core, "inject-core", 0, "the core whose data is disturbed")
	f.Float64Var(&at.AfterS, "inject-after", 1, "after how many seconds")
	f.Uint64Var(&at.Seed, "inject-seed", 1, "tells which bit")
	cmd.AddCommand(unitCommand(&cfg))
	return cmd
}

// unitCommand prints what the system's manager needs to start the agent with the machine.
func unitCommand(cfg *agent.Config) *cobra.Command {
	return &cobra.Command{
		Use: "unit", Short: "Print a systemd unit that starts the agent with the machine", Args: cobra.NoArgs,
		Long: "Prints a systemd unit. As root:\n" +
			"  zerokeel agent unit --server https://SERVER:7350 --fingerprint F > /etc/systemd/system/zerokeel-agent.service\n" +
			"  echo ZEROKEEL_TOKEN=… > /etc/zerokeel-agent && chmod 600 /etc/zerokeel-agent\n" +
			"  systemctl enable --now zerokeel-agent",
		RunE: func(cmd *cobra.Command, _ []string) error {
			program, err := os.Executable()
			if err != nil {
				return err
			}
			if err := cfg.Server.Check(); err != nil {
				return fmt.Errorf("--server: %w", err)
			}
			server := cfg.Server.Address
			if cfg.Server.Fingerprint != "" {
				server += " --fingerprint " + cfg.Server.Fingerprint
			}
			_, err = fmt.Fprintf(cmd.OutOrStdout(), unit, program, server, cfg.StateDir, cfg.Rate)
			return err
		},
	}
}

// unit restarts the agent whatever ended it, and lets it read what only root may: the kernel's log, energy counters. The
// agent must be the last that the kernel ends when memory runs out, since it is the one to tell of it.
const unit = `[Unit]
Description=Zero Keel agent: links this machine to its server
After=network.target
StartLimitIntervalSec=0

[Service]
EnvironmentFile=/etc/zerokeel-agent
ExecStart=%s agent --server %s --state %s --rate %g
Restart=always
RestartSec=1
KillSignal=SIGTERM
TimeoutStopSec=10
OOMScoreAdjust=-900
Nice=-5

[Install]
WantedBy=multi-user.target
`
