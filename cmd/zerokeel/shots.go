package main

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/sync/errgroup"

	"zerokeel/demo"
	"zerokeel/mariadb"
	"zerokeel/shots"
)

func shotsCommand() *cobra.Command {
	var address, folder string
	cmd := &cobra.Command{
		Use: "shots [NAME …]", Short: "Make the pictures of the documentation from the demo", ValidArgs: shots.Names(),
		Args: cobra.OnlyValidArgs,
		RunE: func(cmd *cobra.Command, names []string) error {
			if address != "" {
				return shots.Make(cmd.Context(), address, nil, folder, names)
			}
			return withDemo(cmd.Context(), func(ctx context.Context, address, program, dir string) error {
				g, err := demo.StartGuarded(ctx, program, dir)
				if err != nil {
					return err
				}
				defer g.Stop()
				return shots.Make(ctx, address, &shots.Guarded{Address: g.Address, Code: g.Code}, folder, names)
			})
		},
	}
	cmd.Flags().StringVar(&address, "url", "", "a demo that runs already; without it a fresh one is run")
	cmd.Flags().StringVar(&folder, "out", filepath.Join("docs", "screenshots"), "folder of the pictures")
	return cmd
}

// withDemo runs a fresh demo in a folder of its own, and fn as soon as it is ready.
func withDemo(ctx context.Context, fn func(ctx context.Context, address, program, dir string) error) error {
	program, err := os.Executable()
	if err != nil {
		return fmt.Errorf("find this program: %w", err)
	}
	dir, err := os.MkdirTemp("", "zk-shots")
	if err != nil {
		return fmt.Errorf("make a folder: %w", err)
	}
	defer func() { _ = os.RemoveAll(dir) }()
	port, err := mariadb.FreePort()
	if err != nil {
		return err
	}
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	group, ctx := errgroup.WithContext(ctx)
	read, write := io.Pipe()
	group.Go(func() error {
		err := demo.Run(ctx, demo.Options{Program: program, Dir: dir, Port: port, Speed: demo.DefaultSpeed, Out: write})
		_ = write.Close()
		return err
	})
	group.Go(func() error {
		defer cancel()
		for lines := bufio.NewScanner(read); lines.Scan(); {
			if strings.Contains(lines.Text(), "is ready at") {
				return fn(ctx, fmt.Sprintf("http://127.0.0.1:%d", port), program, dir)
			}
		}
		return nil
	})
	return group.Wait()
}
