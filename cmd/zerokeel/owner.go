package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"zerokeel/store"
	"zerokeel/workshop"
)

func ownerCommand() *cobra.Command {
	var dsns []string
	var dsnFile, keyDir string
	cmd := &cobra.Command{
		Use: "owner NAME", Args: cobra.ExactArgs(1),
		Short: "Make somebody an owner of the bench, or give an owner a new password, which is read from standard input",
		RunE: func(cmd *cobra.Command, args []string) error {
			line, err := bufio.NewReader(cmd.InOrStdin()).ReadString('\n')
			if err != nil && !errors.Is(err, io.EOF) {
				return fmt.Errorf("read the password: %w", err)
			}
			shop, done, err := openShop(cmd.Context(), dsns, dsnFile, keyDir)
			if err != nil {
				return err
			}
			defer done()
			if err := shop.SetOwner(cmd.Context(), args[0], strings.TrimRight(line, "\r\n")); err != nil {
				return err
			}
			_, err = fmt.Fprintf(cmd.OutOrStdout(), "%s is an owner of the bench; log in with the new password\n", args[0])
			return err
		},
	}
	databaseFlags(cmd, &dsns, &dsnFile, &keyDir)
	return cmd
}

// openShop opens the bench's records for a command that works on them by itself; done closes them.
func openShop(ctx context.Context, dsns []string, dsnFile, keyDir string) (shop *workshop.Workshop, done func(), err error) {
	if dsns, err = databases(dsns, dsnFile); err != nil {
		return nil, nil, err
	}
	_, seal, err := openKeys(keyDir)
	if err != nil {
		return nil, nil, err
	}
	db, err := store.Open(ctx, dsns...)
	if err != nil {
		return nil, nil, err
	}
	if err := db.Migrate(ctx); err != nil {
		_ = db.Close()
		return nil, nil, err
	}
	return workshop.New(db, logger(), seal), func() { _ = db.Close() }, nil
}
