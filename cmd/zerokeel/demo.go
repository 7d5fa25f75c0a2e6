package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"zerokeel/demo"
	"zerokeel/mariadb"
)

func demoCommand() *cobra.Command {
	var opt demo.Options
	cmd := &cobra.Command{
		Use: "demo", Short: "Run everything on this machine, with simulated rigs and a history", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			program, err := os.Executable()
			if err != nil {
				return fmt.Errorf("find this program: %w", err)
			}
			opt.Program, opt.Out = program, cmd.OutOrStdout()
			if err := demo.Run(cmd.Context(), opt); !errors.Is(err, context.Canceled) {
				return err
			}
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&opt.Dir, "data", filepath.Join(".keel", "demo"), "data folder")
	f.IntVar(&opt.Port, "port", 7350, "port of the pages, on loopback")
	f.BoolVar(&opt.Fresh, "fresh", false, "start over with an empty data folder")
	f.Float64Var(&opt.Speed, "speed", demo.DefaultSpeed, "simulated seconds per second of the stand-ins")
	return cmd
}

func dbCommand() *cobra.Command {
	var cfg mariadb.Config
	cmd := &cobra.Command{
		Use: "db", Short: "Run MariaDB from a data folder of its own, on loopback, until interrupted", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if cfg.Port == 0 {
				port, err := mariadb.FreePort()
				if err != nil {
					return err
				}
				cfg.Port = port
			}
			srv, err := mariadb.Start(cmd.Context(), cfg)
			if err != nil {
				return err
			}
			if err := srv.Create(cmd.Context(), "zerokeel"); err != nil {
				return errors.Join(err, srv.Stop())
			}
			_, _ = fmt.Fprintf(cmd.OutOrStdout(), "MariaDB is ready on 127.0.0.1:%d; data source name: %s\n", cfg.Port, srv.DSN("zerokeel"))
			select {
			case <-cmd.Context().Done():
				return srv.Stop()
			case <-srv.Done():
				return errors.New("MariaDB ended by itself; its log is " + filepath.Join(cfg.Dir, "m.log"))
			}
		},
	}
	cmd.Flags().StringVar(&cfg.Dir, "data", filepath.Join(".keel", "db"), "data folder")
	cmd.Flags().IntVar(&cfg.Port, "port", 0, "port on loopback; 0 takes a free one")
	return cmd
}
