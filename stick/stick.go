// Package stick makes the bench stick: the image of a stick from which a machine starts this program and nothing else, no disk touched.
// It holds one UEFI executable (kernel, first file system, command line) in a FAT file system, and beside it a text file with link codes.
// What is in it comes from the distribution's packages and from the program itself; the same parts make the same image.
package stick

import (
	"context"
	"debug/elf"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"zerokeel/rigside/bench"
)

// Config says what an image is made of.
type Config struct {
	Program string // path of this program, statically linked
	Cache   string // folder in which packages are kept
	Note    bench.Note
	Words   string // for the kernel's command line, after those that every stick has
}

// UsualCache is the folder in which packages are kept where nobody says another.
func UsualCache() string {
	dir, err := os.UserCacheDir()
	if err != nil {
		dir = os.TempDir()
	}
	return filepath.Join(dir, "zerokeel", "stick")
}

// Make writes an image to a file, whole or not at all.
func Make(ctx context.Context, cfg Config, out string) error {
	program, err := static(cfg.Program)
	if err != nil {
		return err
	}
	parts, err := fetch(ctx, cfg.Cache)
	if err != nil {
		return err
	}
	return write(out, func(f *os.File) error { return assemble(f, cfg, program, parts) })
}

// assemble writes the image of a stick.
func assemble(f *os.File, cfg Config, program []byte, p *parts) error {
	first, err := initramfs(program, p.modules)
	if err != nil {
		return fmt.Errorf("pack the first file system: %w", err)
	}
	boot, err := unified(p.stub, p.kernel, first, strings.TrimSpace(commandLine+" "+cfg.Words))
	if err != nil {
		return fmt.Errorf("pack the kernel: %w", err)
	}
	return image(f, []file{{"/EFI/BOOT/BOOTX64.EFI", boot}, {"/" + bench.NoteFile, []byte(cfg.Note.String())}})
}

// commandLine is the kernel's: the machine's own screen last, which is where its words go; quiet, since the program draws there.
const commandLine = "console=ttyS0,115200 console=tty0 quiet loglevel=3 panic=10 fbcon=font:TER16x32 rdinit=/init"

// static reads a program that runs without any library.
func static(path string) ([]byte, error) {
	f, err := elf.Open(path)
	if err != nil {
		return nil, fmt.Errorf("read the program: %w", err)
	}
	defer func() { _ = f.Close() }()
	if libraries, err := f.ImportedLibraries(); err != nil || len(libraries) > 0 {
		return nil, fmt.Errorf("%s needs libraries (%s) that a stick does not have; build it by ./keel, which links it statically", path,
			strings.Join(libraries, ", "))
	}
	if f.Machine != elf.EM_X86_64 {
		return nil, fmt.Errorf("%s is a program for %s; a stick is for x86-64", path, f.Machine)
	}
	return os.ReadFile(path)
}

// write makes a file whole or not at all.
func write(out string, fill func(*os.File) error) error {
	f, err := os.CreateTemp(filepath.Dir(out), filepath.Base(out)+".*")
	if err != nil {
		return fmt.Errorf("write the image: %w", err)
	}
	err = fill(f)
	err = errors.Join(err, f.Sync(), f.Close())
	if err == nil {
		err = os.Chmod(f.Name(), 0o600) // it may hold codes
	}
	if err == nil {
		err = os.Rename(f.Name(), out)
	}
	if err != nil {
		return errors.Join(err, os.Remove(f.Name()))
	}
	return nil
}
