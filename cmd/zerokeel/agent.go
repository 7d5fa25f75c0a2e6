package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"zerokeel/link"
	"zerokeel/rigside/agent"
	"zerokeel/rigside/headers"
	"zerokeel/rigside/sensors"
)

func agentCommand() *cobra.Command {
	var cfg agent.Config
	var inject bool
	var tokenFile string
	var at link.Inject
	run := func(ctx context.Context) error {
		cfg.Root, cfg.Files, cfg.Log = os.DirFS("/"), headers.OnDisk("/"), logger()
		if err := cfg.Server.Check(); err != nil {
			return fmt.Errorf("--server: %w", err)
		}
		if inject {
			cfg.Inject = &at
		}
		return agent.Run(ctx, cfg)
	}
	cmd := &cobra.Command{
		Use: "agent", Short: "Link this machine to a server, and run the loads it orders", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			var err error
			if cfg.Server.Token, err = secret(tokenFile, tokenEnv); err != nil {
				return err
			}
			if cfg.Server.Token == "" && !cmd.Flags().Changed("server") {
				if known, is, err := agent.KnownServer(cfg.StateDir); err != nil {
					return err
				} else if is {
					cfg.Server = known
				}
			}
			return run(cmd.Context())
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
	cmd.AddCommand(unitCommand(&cfg), linkCommand(&cfg, run))
	return cmd
}

// linkCommand exchanges a code for the rig's token, keeps that, and goes on as the agent.
func linkCommand(cfg *agent.Config, run func(context.Context) error) *cobra.Command {
	return &cobra.Command{
		Use: "link CODE", Short: "Link this machine for the first time, by the code from its rig's page", Args: cobra.MinimumNArgs(1),
		Long: "Shows the code to the server that it names, waits until somebody takes the machine in on the rig's page, and goes on as the agent.\n" +
			"The server and the token are kept in the folder of --state: from then on 'zerokeel agent' alone links again.",
		RunE: func(cmd *cobra.Command, words []string) error {
			code, err := link.ParseCode(strings.Join(words, ""))
			if err != nil {
				return err
			}
			allowed, err := sensors.Allowed()
			if err != nil {
				return err
			}
			root := os.DirFS("/")
			told := ""
			known, err := link.Redeem(cmd.Context(), code, sensors.Facts(root, sensors.Cores(root, allowed)), func(rig string, problem error) {
				now := fmt.Sprintf("%s answers; take this machine in on the page of %s", code.Address, rig)
				if problem != nil {
					now = fmt.Sprintf("%s does not answer yet: %v", code.Address, problem)
				}
				if now != told {
					told = now
					_, _ = fmt.Fprintln(cmd.OutOrStdout(), now)
				}
			})
			if err != nil {
				return err
			}
			if err := agent.KeepServer(cfg.StateDir, known); err != nil {
				return err
			}
			_, _ = fmt.Fprintln(cmd.OutOrStdout(), "linked; from now on 'zerokeel agent' alone does")
			cfg.Server = known
			return run(cmd.Context())
		},
	}
}

// unitCommand prints what the system's manager needs to start the agent with the machine.
func unitCommand(cfg *agent.Config) *cobra.Command {
	return &cobra.Command{
		Use: "unit", Short: "Print a systemd unit that starts the agent with the machine", Args: cobra.NoArgs,
		Long: "Prints a systemd unit. As root, on a machine that was linked by a code:\n" +
			"  zerokeel agent unit > /etc/systemd/system/zerokeel-agent.service\n" +
			"  systemctl enable --now zerokeel-agent\n" +
			"or with a token:\n" +
			"  zerokeel agent unit --server https://SERVER:7350 --fingerprint F > /etc/systemd/system/zerokeel-agent.service\n" +
			"  echo ZEROKEEL_TOKEN=… > /etc/zerokeel-agent && chmod 600 /etc/zerokeel-agent\n" +
			"  systemctl enable --now zerokeel-agent",
		RunE: func(cmd *cobra.Command, _ []string) error {
			program, err := os.Executable()
			if err != nil {
				return err
			}
			server := ""
			if _, known, err := agent.KnownServer(cfg.StateDir); err != nil {
				return err
			} else if !known || cmd.Flags().Changed("server") {
				if err := cfg.Server.Check(); err != nil {
					return fmt.Errorf("--server: %w", err)
				}
				server = " --server " + cfg.Server.Address
				if cfg.Server.Fingerprint != "" {
					server += " --fingerprint " + cfg.Server.Fingerprint
				}
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
EnvironmentFile=-/etc/zerokeel-agent
ExecStart=%s agent%s --state %s --rate %g
Restart=always
RestartSec=1
KillSignal=SIGTERM
TimeoutStopSec=10
OOMScoreAdjust=-900
Nice=-5

[Install]
WantedBy=multi-user.target
`
