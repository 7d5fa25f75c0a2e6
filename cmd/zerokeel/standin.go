package main

import (
	"fmt"
	"net"
	"net/http"
	"os"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/sync/errgroup"

	"zerokeel/standin"
)

func standinCommand() *cobra.Command {
	var config, listen, clock string
	opt := standin.Options{}
	cmd := &cobra.Command{
		Use: "standin", Short: "Simulate a rig: a board with a Redfish service, and an agent", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			text, err := os.ReadFile(config)
			if err != nil {
				return fmt.Errorf("read the stand-in's file: %w", err)
			}
			cfg, err := standin.ParseConfig(text)
			if err != nil {
				return err
			}
			opt.Log = logger()
			if opt.Server.Address != "" {
				if err := opt.Server.Check(); err != nil {
					return fmt.Errorf("--server: %w", err)
				}
			}
			rig, err := standin.NewRig(cfg, opt)
			if err != nil {
				return err
			}
			if clock != "" {
				at, err := time.Parse(time.RFC3339, clock)
				if err != nil {
					return fmt.Errorf("--clock: %w; give a time such as 2026-11-02T08:30:00Z", err)
				}
				rig.SetClock(float64(at.Unix()))
			}
			l, err := net.Listen("tcp", listen)
			if err != nil {
				return fmt.Errorf("listen on %s: %w; choose another with --redfish", listen, err)
			}
			fmt.Fprintf(os.Stdout, "%s (SIM): Redfish on http://%s/redfish/v1/\n", cfg.Name, l.Addr())
			srv := &http.Server{Handler: rig.Handler(), ReadHeaderTimeout: 10 * time.Second}
			group, ctx := errgroup.WithContext(cmd.Context())
			group.Go(func() error { return rig.Run(ctx) })
			group.Go(func() error {
				<-ctx.Done()
				return srv.Close()
			})
			group.Go(func() error {
				if err := srv.Serve(l); err != http.ErrServerClosed {
					return fmt.Errorf("serve Redfish: %w", err)
				}
				return nil
			})
			return group.Wait()
		},
	}
	opt.Server.Token, opt.Password = os.Getenv(tokenEnv), os.Getenv(passwordEnv)
	f := cmd.Flags()
	f.StringVar(&config, "config", "", "the stand-in's file (.standin.json)")
	f.StringVar(&listen, "redfish", "127.0.0.1:0", "address of the board's Redfish service")
	f.StringVar(&opt.Server.Fingerprint, "fingerprint", "", "of the server, where its address is of https")
	f.StringVar(&opt.Server.Address, "server", "", "server that the agent links to, such as http://127.0.0.1:7350, with the token in "+tokenEnv)
	f.StringVar(&opt.User, "user", "", "user of the Redfish service, whose password is in "+passwordEnv+"; none accepts anyone")
	f.StringVar(&opt.StateDir, "state", "", "folder that keeps the board's settings between runs")
	f.Float64Var(&opt.Speed, "speed", 1, "simulated seconds per second")
	f.Float64Var(&opt.Rest, "rest-speed", 0, "the same while the machine is up and no leg runs, when nothing fails then; 0 is like --speed")
	f.StringVar(&clock, "clock", "", "set the machine's clock, such as 2026-11-02T08:30:00Z")
	_ = cmd.MarkFlagRequired("config")
	return cmd
}
