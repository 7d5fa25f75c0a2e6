package main

import (
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"zerokeel/core/invalid"
	"zerokeel/rigside/bench"
	"zerokeel/stick"
)

func stickCommand() *cobra.Command {
	var cfg stick.Config
	var out, address, gateway string
	var codes, names []string
	cmd := &cobra.Command{
		Use: "stick", Short: "Make the bench stick: an image from which a machine starts the agent and nothing else", Args: cobra.NoArgs,
		Long: "Makes the image of a bootable stick from this program and the kernel of Debian's packages, which are fetched once.\n" +
			"Write it to a stick of 256 MB or more, such as:\n" +
			"  zerokeel stick --out stick.img --code XXXX-XXXX-…\n" +
			"  dd if=stick.img of=/dev/DEVICE bs=4M conv=fsync\n" +
			"A machine that is started from it (UEFI, without secure boot) touches none of its disks, links itself by the first code that is\n" +
			"good, or by one that is typed, and keeps its journal on the stick. Further codes go into " + bench.NoteFile + " on it.",
		RunE: func(cmd *cobra.Command, _ []string) error {
			note := bench.Note{Codes: codes}.String()
			for _, line := range []struct{ word, value string }{{"address", address}, {"gateway", gateway}} {
				if line.value != "" {
					note += line.word + " " + line.value + "\n"
				}
			}
			for _, n := range names {
				note += "name-server " + n + "\n"
			}
			var faults invalid.List
			if cfg.Note, faults = bench.ParseNote(note); len(faults) > 0 {
				return faults
			}
			var err error
			if cfg.Program, err = os.Executable(); err != nil {
				return err
			}
			if err := stick.Make(cmd.Context(), cfg, out); err != nil {
				return err
			}
			info, err := os.Stat(out)
			if err != nil {
				return err
			}
			_, err = fmt.Fprintf(cmd.OutOrStdout(), "%s: %d MB\n", out, info.Size()>>20)
			return err
		},
	}
	f := cmd.Flags()
	f.StringVar(&out, "out", "zerokeel-stick.img", "file of the image")
	f.StringArrayVar(&codes, "code", nil, "a link code from a rig's page; several times for several machines")
	f.StringVar(&address, "address", "", "of the machine, such as 192.168.1.20/24, where its network hands out none")
	f.StringVar(&gateway, "gateway", "", "of that network")
	f.StringArrayVar(&names, "name-server", nil, "of that network; several times for several")
	f.StringVar(&cfg.Cache, "cache", stick.UsualCache(), "folder in which the kernel's packages are kept")
	f.StringVar(&cfg.Words, "words", "", "further words for the kernel's command line")
	return cmd
}
