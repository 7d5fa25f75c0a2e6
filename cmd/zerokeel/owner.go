package main

import (
	"bufio"
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
			dsns, err := databases(dsns, dsnFile)
			if err != nil {
				return err
			}
			line, err := bufio.NewReader(cmd.InOrStdin()).ReadString('\n')
			if err != nil && !errors.Is(err, io.EOF) {
				return fmt.Errorf("read the password: %w", err)
			}
			_, seal, err := openKeys(keyDir)
			if err != nil {
				return err
			}
			db, err := store.Open(cmd.Context(), dsns...)
			if err != nil {
				return err
			}
			defer func() { _ = db.Close() }()
			if err := db.Migrate(cmd.Context()); err != nil {
				return err
			}
			if err := workshop.New(db, logger(), seal).SetOwner(cmd.Context(), args[0], strings.TrimRight(line, "\r\n")); err != nil {
				return err
			}
			_, err = fmt.Fprintf(cmd.OutOrStdout(), "%s is an owner of the bench; log in with the new password\n", args[0])
			return err
		},
	}
	databaseFlags(cmd, &dsns, &dsnFile, &keyDir)
	return cmd
}
