package main

import (
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"zerokeel/workshop"
)

func archiveCommand() *cobra.Command {
	var dsns []string
	var dsnFile, keyDir, out, as string
	var rigs []string
	cmd := &cobra.Command{
		Use: "archive", Short: "Write all that is kept of rigs into one file in open formats, which another server takes in", Args: cobra.NoArgs,
		Example: "  zerokeel archive --rig Petrel --out petrel.zerokeel.zip\n  zerokeel archive take petrel.zerokeel.zip",
		RunE: func(cmd *cobra.Command, _ []string) error {
			shop, done, err := openShop(cmd.Context(), dsns, dsnFile, keyDir)
			if err != nil {
				return err
			}
			defer done()
			ctx := workshop.As(cmd.Context(), workshop.Owner)
			var ids []int64
			for _, name := range rigs {
				id, err := shop.RigCalled(ctx, name)
				if err != nil {
					return err
				}
				ids = append(ids, id)
			}
			x, err := shop.Archive(ctx, ids)
			if err != nil {
				return err
			}
			if out == "" {
				out = x.Name
			}
			file, err := os.OpenFile(out, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
			if err != nil {
				return fmt.Errorf("write the archive: %w", err)
			}
			if err := x.Write(ctx, file); err != nil {
				_ = file.Close()
				_ = os.Remove(out) // half of one is none
				return err
			}
			if err := file.Close(); err != nil {
				return fmt.Errorf("write the archive: %w", err)
			}
			_, err = fmt.Fprintf(cmd.OutOrStdout(), "%s is written\n", out)
			return err
		},
	}
	cmd.Flags().StringArrayVar(&rigs, "rig", nil, "name of a rig, again for more; all when none is named")
	cmd.Flags().StringVar(&out, "out", "", "file to write, which must not exist yet; named after the rig when left out")
	databaseFlags(cmd, &dsns, &dsnFile, &keyDir)
	take := &cobra.Command{
		Use: "take FILE", Short: "Take in the rigs of an archive, all of them or none, and print the token that each one's agent needs", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			file, err := os.Open(args[0])
			if err != nil {
				return fmt.Errorf("read the archive: %w", err)
			}
			defer func() { _ = file.Close() }()
			info, err := file.Stat()
			if err != nil {
				return fmt.Errorf("read the archive: %w", err)
			}
			shop, done, err := openShop(cmd.Context(), dsns, dsnFile, keyDir)
			if err != nil {
				return err
			}
			defer done()
			taken, err := shop.TakeArchive(workshop.As(cmd.Context(), workshop.Owner), file, info.Size(), as)
			if err != nil {
				return err
			}
			for _, t := range taken {
				if _, err := fmt.Fprintf(cmd.OutOrStdout(), "%s is here, as rig %d; the token of its agent is %s\n", t.Name, t.Rig,
					t.Token); err != nil {
					return err
				}
			}
			return nil
		},
	}
	take.Flags().StringVar(&as, "as", "", "another name for the only rig of the archive")
	databaseFlags(take, &dsns, &dsnFile, &keyDir)
	cmd.AddCommand(take)
	return cmd
}
