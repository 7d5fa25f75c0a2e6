package main

import (
	"bytes"
	"fmt"
	"os"
	"strconv"

	"github.com/spf13/cobra"

	"zerokeel/handover"
	"zerokeel/workshop"
)

func recordCommand() *cobra.Command {
	var dsns []string
	var dsnFile, keyDir, rig, out, address string
	var number int
	var whole bool
	cmd := &cobra.Command{
		Use: "record", Short: "Write the record of a trim for the owner of its machine, as a page that needs no network", Args: cobra.NoArgs,
		Example: "  zerokeel record --rig Petrel --trim 9 --out petrel.html",
		RunE: func(cmd *cobra.Command, _ []string) error {
			shop, done, err := openShop(cmd.Context(), dsns, dsnFile, keyDir)
			if err != nil {
				return err
			}
			defer done()
			ctx := workshop.As(cmd.Context(), workshop.Owner)
			id, err := shop.TrimCalled(ctx, rig, number)
			if err != nil {
				return err
			}
			r, err := shop.OwnerRecord(ctx, id, whole)
			if err != nil {
				return err
			}
			var page bytes.Buffer
			if err := handover.Write(&page, r, address+"/rig/"+strconv.FormatInt(r.Rig.ID, 10)+"/trim/"+strconv.FormatInt(id, 10)); err != nil {
				return err
			}
			if out == "-" {
				_, err = cmd.OutOrStdout().Write(page.Bytes())
				return err
			}
			if err := os.WriteFile(out, page.Bytes(), 0o644); err != nil {
				return fmt.Errorf("write the record: %w", err)
			}
			return nil
		},
	}
	databaseFlags(cmd, &dsns, &dsnFile, &keyDir)
	f := cmd.Flags()
	f.StringVar(&rig, "rig", "", "the rig's name, or its number in addresses of pages")
	f.IntVar(&number, "trim", 0, "the trim's number on its course, 0 for stock")
	f.BoolVar(&whole, "whole", false, "with the whole course and its failures, for a builder")
	f.StringVar(&out, "out", "-", "file to write to; - for standard output")
	f.StringVar(&address, "address", "http://127.0.0.1:7350", "of the pages, which the record's code leads back to")
	_ = cmd.MarkFlagRequired("rig")
	_ = cmd.MarkFlagRequired("trim")
	return cmd
}
