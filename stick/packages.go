package stick

import (
	"archive/tar"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
)

// The distribution's packages that a stick is made of: the kernel is what the first one depends on.
const (
	kernelPackage = "linux-image-amd64"
	stubPackage   = "systemd-boot-efi"
	stubPath      = "usr/lib/systemd/boot/efi/linuxx64.efi.stub"
)

// parts are what a stick is made of, beside the program.
type parts struct {
	stub, kernel []byte
	modules      []module
}

// fetch gets the packages, those that are in the cache already from there, and takes out of them what a stick needs.
func fetch(ctx context.Context, cache string) (*parts, error) {
	if err := os.MkdirAll(cache, 0o755); err != nil {
		return nil, fmt.Errorf("make a folder for packages: %w", err)
	}
	kernel, err := kernelName(ctx)
	if err != nil {
		return nil, err
	}
	p := &parts{}
	err = unpack(ctx, cache, kernel, func(name string, r io.Reader) error {
		switch {
		case strings.HasPrefix(name, "boot/vmlinuz-"):
			p.kernel, err = io.ReadAll(r)
			return err
		case wanted(name):
			m, err := readModule(name, r)
			p.modules = append(p.modules, m)
			return err
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	err = unpack(ctx, cache, stubPackage, func(name string, r io.Reader) error {
		if name == stubPath {
			p.stub, err = io.ReadAll(r)
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	if p.kernel == nil || p.stub == nil || len(p.modules) == 0 {
		return nil, fmt.Errorf("the packages %s and %s hold no kernel, no modules or no stub", kernel, stubPackage)
	}
	p.modules, err = closure(p.modules)
	return p, err
}

var dependsOn = regexp.MustCompile(`(?m)^\s*Depends: (linux-image-\S+)`)

// kernelName is the package of the kernel itself.
func kernelName(ctx context.Context) (string, error) {
	if _, err := exec.LookPath("apt-cache"); err != nil {
		return "", errors.New("the stick's kernel comes from packages of Debian, and this is no such machine; make the stick on one")
	}
	out, err := exec.CommandContext(ctx, "apt-cache", "depends", kernelPackage).Output()
	if err != nil {
		return "", fmt.Errorf("look for %s: %w; the package lists may be missing: run apt-get update as root", kernelPackage, err)
	}
	found := dependsOn.FindSubmatch(out)
	if found == nil {
		return "", fmt.Errorf("%s depends on no kernel; the package lists may be missing: run apt-get update as root", kernelPackage)
	}
	return string(found[1]), nil
}

// unpack hands on the files of a package, in the order in which they stand in it.
func unpack(ctx context.Context, cache, name string, take func(name string, r io.Reader) error) error {
	path, err := download(ctx, cache, name)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	cmd := exec.CommandContext(ctx, "dpkg-deb", "--fsys-tarfile", path)
	out, err := cmd.StdoutPipe()
	if err != nil {
		return err
	}
	if err := cmd.Start(); err != nil {
		return fmt.Errorf("unpack %s: %w", path, err)
	}
	files := tar.NewReader(out)
	for {
		h, err := files.Next()
		if errors.Is(err, io.EOF) {
			break
		} else if err == nil && h.Typeflag == tar.TypeReg {
			err = take(strings.TrimPrefix(h.Name, "./"), files)
		}
		if err != nil {
			cancel()
			_ = cmd.Wait()
			return fmt.Errorf("unpack %s: %w; remove it to have it fetched anew", path, err)
		}
	}
	_, _ = io.Copy(io.Discard, out)
	if err := cmd.Wait(); err != nil {
		return fmt.Errorf("unpack %s: %w; remove it to have it fetched anew", path, err)
	}
	return nil
}

// download returns the path of a package of the newest version that is offered, which it fetches where the cache has it not.
func download(ctx context.Context, cache, name string) (string, error) {
	dir, err := os.MkdirTemp(cache, "fetch-")
	if err != nil {
		return "", fmt.Errorf("fetch %s: %w", name, err)
	}
	defer func() { _ = os.RemoveAll(dir) }()
	offer := exec.CommandContext(ctx, "apt-get", "download", "--print-uris", name)
	offer.Dir = dir
	out, err := offer.Output()
	words := strings.Fields(string(out))
	if err != nil || len(words) < 2 {
		return "", fmt.Errorf("the package %s is not offered here; the package lists may be missing: run apt-get update as root", name)
	}
	path := filepath.Join(cache, filepath.Base(words[1]))
	if _, err := os.Stat(path); err == nil {
		return path, nil
	}
	get := exec.CommandContext(ctx, "apt-get", "download", "-qq", name)
	get.Dir = dir
	if said, err := get.CombinedOutput(); err != nil {
		return "", fmt.Errorf("fetch %s: %w: %s", name, err, strings.TrimSpace(string(said)))
	}
	found, err := filepath.Glob(filepath.Join(dir, "*.deb"))
	if err != nil || len(found) != 1 {
		return "", fmt.Errorf("fetch %s: it did not arrive", name)
	}
	return path, os.Rename(found[0], path)
}
