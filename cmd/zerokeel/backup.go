package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"time"

	"github.com/spf13/cobra"

	"zerokeel/mariadb"
	"zerokeel/store"
	"zerokeel/workshop"
)

func backupCommand() *cobra.Command {
	var dsns []string
	var dsnFile, keyDir, to string
	var every, fullEvery time.Duration
	var keep int
	cmd := &cobra.Command{
		Use: "backup", Short: "Back up the bench's records while they are used: in full, and then what came since", Args: cobra.NoArgs,
		Long: "Backs up the bench's records while they are used, on the machine of its database and as a user who may read its files.\n" +
			"A backup is full where there is none yet, or the newest full one is old; else it holds what came since the one before.\n" +
			"The folder of keys is not in it: keep a copy of that apart.",
		RunE: func(cmd *cobra.Command, _ []string) error {
			dsns, err := databases(dsns, dsnFile)
			if err != nil {
				return err
			}
			if keep < 1 {
				return errors.New("--keep: keep at least 1 full backup, with what came since")
			}
			b := mariadb.Backups(to)
			for {
				err := backUp(cmd.Context(), b, dsns[0], fullEvery, keep, cmd.OutOrStdout())
				if every == 0 || cmd.Context().Err() != nil {
					return err
				}
				if err != nil {
					logger().Error("the records were not backed up; it is tried again", "error", err)
				}
				select {
				case <-cmd.Context().Done():
					return nil
				case <-time.After(every):
				}
			}
		},
	}
	databaseFlags(cmd, &dsns, &dsnFile, &keyDir)
	f := cmd.Flags()
	f.StringVar(&to, "to", "", "folder of the backups, best on another disk")
	f.DurationVar(&every, "every", 0, "go on, and back up again and again, such as 1h; without, once")
	f.DurationVar(&fullEvery, "full-every", 7*24*time.Hour, "age of a full backup at which another is made")
	f.IntVar(&keep, "keep", 4, "how many full backups are kept, each with what came since")
	_ = cmd.MarkFlagRequired("to")
	return cmd
}

// backUp makes one backup, and removes those that are not kept.
func backUp(ctx context.Context, b mariadb.Backups, dsn string, fullEvery time.Duration, keep int, out io.Writer) error {
	age, some, err := b.Age(time.Now())
	if err != nil {
		return err
	}
	begun := time.Now()
	made, err := b.Make(ctx, dsn, some && age >= fullEvery)
	if err != nil {
		return err
	}
	kind := "what came since"
	if made.Name == made.Chain {
		kind = "in full"
	}
	if _, err := fmt.Fprintf(out, "backed up %s, %d MB in %.1f s: %s\n", kind, made.Bytes>>20, time.Since(begun).Seconds(), made.Name); err != nil {
		return err
	}
	return b.Keep(keep)
}

func restoreCommand() *cobra.Command {
	var from, dir, upTo, keyDir string
	cmd := &cobra.Command{
		Use: "restore", Short: "Put the bench's records back from a backup, into a data folder without data", Args: cobra.NoArgs,
		Long: "Puts the bench's records back, into the folder of a database that `zerokeel db` runs, which must hold no data. No server may\n" +
			"use it meanwhile. What rigs told since the backup is lost: legs that were under way are run anew once a server is started,\n" +
			"fittings are given up, boards are read anew, and everybody logs in anew.",
		RunE: func(cmd *cobra.Command, _ []string) error {
			ctx := cmd.Context()
			_, seal, err := openKeys(keyDir)
			if err != nil {
				return err
			}
			state, err := mariadb.Backups(from).Restore(ctx, dir, upTo)
			if err != nil {
				return err
			}
			db, err := mariadb.Start(ctx, mariadb.Config{Dir: dir})
			if err != nil {
				return err
			}
			held, err := putBack(ctx, db, func(s *store.Store) *workshop.Workshop { return workshop.New(s, logger(), seal) })
			if err := errors.Join(err, db.Stop()); err != nil {
				return err
			}
			_, err = fmt.Fprintf(cmd.OutOrStdout(), "the records of %s are back: %d rigs, %d trims, %d trials\n", state.Name, held.Rigs, held.Trims,
				held.Trials)
			return err
		},
	}
	f := cmd.Flags()
	f.StringVar(&from, "from", "", "folder of the backups")
	f.StringVar(&dir, "data", "", "folder of the database, as zerokeel db takes it")
	f.StringVar(&upTo, "up-to", "", "the last backup that counts, by its name; without, the newest")
	f.StringVar(&keyDir, "keys", defaultKeys(), "folder of the keys, as the server takes it")
	_ = cmd.MarkFlagRequired("from")
	_ = cmd.MarkFlagRequired("data")
	return cmd
}

// putBack brings records that were put back up to date, and takes in that they are of an earlier moment.
func putBack(ctx context.Context, db *mariadb.Server, shop func(*store.Store) *workshop.Workshop) (workshop.Holdings, error) {
	s, err := store.Open(ctx, db.DSN("zerokeel"))
	if err != nil {
		return workshop.Holdings{}, err
	}
	defer func() { _ = s.Close() }()
	if err := s.Migrate(ctx); err != nil {
		return workshop.Holdings{}, err
	}
	return shop(s).PutBack(workshop.As(ctx, workshop.Owner))
}
