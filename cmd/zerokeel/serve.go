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
	var guard guarding
	cmd := &cobra.Command{
		Use: "serve", Short: "Serve a bench: pages, API and the links of its rigs", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			ctx, log := cmd.Context(), logger()
			dsns, err := databases(dsns, dsnFile)
			if err != nil {
				return err
			}
			if err := guard.check(listen); err != nil {
				return err
			}
			folder, seal, err := openKeys(keyDir)
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
			cfg := server.Config{Shop: shop, Log: log, Front: front, Hosts: hosts}
			scheme, code := "http", ""
			if guard.on {
				scheme, cfg.Hosts = "https", namesOf(listen, hosts)
				if cfg.Guarded, err = guard.guarded(folder, cfg.Hosts); err != nil {
					return err
				}
				if code, err = shop.NewCode(ctx); err != nil {
					return err
				}
			}
			srv, handler, err := server.New(cfg)
			if err != nil {
				return err
			}
			l, err := net.Listen("tcp", listen)
			if err != nil {
				return fmt.Errorf("listen on %s: %w; choose another with --listen", listen, err)
			}
			fmt.Fprintf(os.Stdout, "serving on %s://%s\n", scheme, l.Addr())
			if code != "" {
				fmt.Fprintf(os.Stdout, "nobody owns this bench yet: open the page, and enter the code %s\n", code)
			}
			if guard.on && cfg.Guarded.Fingerprint != "" {
				fmt.Fprintf(os.Stdout, "agents know this server by --fingerprint %s\n", cfg.Guarded.Fingerprint)
			}
			group, ctx := errgroup.WithContext(ctx)
			group.Go(func() error { return shop.Run(ctx) })
			group.Go(func() error { return run.Run(ctx) })
			group.Go(func() error { return srv.Serve(ctx, l, handler) })
			return group.Wait()
		},
	}
	f := cmd.Flags()
	f.StringVar(&listen, "listen", "127.0.0.1:7350", "address to listen on; beyond loopback with --guarded alone")
	f.StringSliceVar(&hosts, "host", nil, "further names under which this server may be addressed")
	f.BoolVar(&guard.on, "guarded", false, "serve over TLS, to those who log in")
	f.StringVar(&guard.certificate, "certificate", "", "file of the certificate, with those up to its authority; without, the bench has one of its own")
	f.StringVar(&guard.key, "certificate-key", "", "file of the certificate's key")
	databaseFlags(cmd, &dsns, &dsnFile, &keyDir)
	return cmd
}

// databaseFlags are those of every command that opens the bench's database.
func databaseFlags(cmd *cobra.Command, dsns *[]string, dsnFile, keyDir *string) {
	f := cmd.Flags()
	f.StringArrayVar(dsns, "dsn", nil,
		"MariaDB data source name, such as root@unix(/path/m.sock)/zerokeel; once for each node of a cluster, the one to use first")
	f.StringVar(dsnFile, "dsn-file", "", "file of data source names, a line each, where one holds a password")
	f.StringVar(keyDir, "keys", defaultKeys(), "folder of the keys that stay out of the database; the same for every server on it")
}

// openKeys opens the folder of keys, and takes the seal from it.
func openKeys(dir string) (keys.Folder, *keys.Seal, error) {
	folder, err := keys.Open(dir)
	if err != nil {
		return "", nil, err
	}
	seal, err := folder.Seal()
	return folder, seal, err
}

// defaultKeys is where the keys lie unless they are said to lie elsewhere: with what else the user has set up.
func defaultKeys() string {
	dir, err := os.UserConfigDir()
	if err != nil {
		dir = "/etc" // a service without a home
	}
	return filepath.Join(dir, "zerokeel", "keys")
}
