package main

import (
	"fmt"
	"io/fs"
	"net"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"
	"golang.org/x/sync/errgroup"

	"zerokeel/keys"
	"zerokeel/runner"
	"zerokeel/server"
	"zerokeel/store"
	"zerokeel/web"
	"zerokeel/workshop"
)

func serveCommand() *cobra.Command {
	var listen, dsnFile, keyDir string
	var dsns, hosts []string
	cmd := &cobra.Command{
		Use: "serve", Short: "Serve a bench: pages, API and the links of its rigs", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			ctx, log := cmd.Context(), logger()
			dsns, err := databases(dsns, dsnFile)
			if err != nil {
				return err
			}
			folder, err := keys.Open(keyDir)
			if err != nil {
				return err
			}
			seal, err := folder.Seal()
			if err != nil {
				return err
			}
			db, err := store.Open(ctx, dsns...)
			if err != nil {
				return err
			}
			defer func() { _ = db.Close() }()
			if err := db.Migrate(ctx); err != nil {
				return err
			}
			front, err := fs.Sub(web.Dist, "dist")
			if err != nil {
				return fmt.Errorf("read the front end: %w", err)
			}
			shop := workshop.New(db, log, seal)
			run := runner.New(shop, db, log)
			srv, handler, err := server.New(server.Config{Shop: shop, Log: log, Front: front, Hosts: hosts})
			if err != nil {
				return err
			}
			l, err := net.Listen("tcp", listen)
			if err != nil {
				return fmt.Errorf("listen on %s: %w; choose another with --listen", listen, err)
			}
			fmt.Fprintf(os.Stdout, "serving on http://%s\n", l.Addr())
			group, ctx := errgroup.WithContext(ctx)
			group.Go(func() error { return shop.Run(ctx) })
			group.Go(func() error { return run.Run(ctx) })
			group.Go(func() error { return srv.Serve(ctx, l, handler) })
			return group.Wait()
		},
	}
	cmd.Flags().StringArrayVar(&dsns, "dsn", nil,
		"MariaDB data source name, such as root@unix(/path/m.sock)/zerokeel; once for each node of a cluster, the one to use first")
	cmd.Flags().StringVar(&listen, "listen", "127.0.0.1:7350", "address to listen on")
	cmd.Flags().StringSliceVar(&hosts, "host", nil, "further names under which this server may be addressed")
	cmd.Flags().StringVar(&keyDir, "keys", defaultKeys(), "folder of the keys that stay out of the database; the same for every server on it")
	cmd.Flags().StringVar(&dsnFile, "dsn-file", "", "file of data source names, a line each, where one holds a password")
	return cmd
}

// defaultKeys is where the keys lie unless they are said to lie elsewhere: with what else the user has set up.
func defaultKeys() string {
	dir, err := os.UserConfigDir()
	if err != nil {
		dir = "/etc" // a service without a home
	}
	return filepath.Join(dir, "zerokeel", "keys")
}
