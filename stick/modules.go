package stick

import (
	"bytes"
	"debug/elf"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"

	"zerokeel/rigside/bench"
)

// module is one of the kernel's.
type module struct {
	bench.Module
	data []byte
}

// wantedFolders are those of the kernel's modules that a machine on the bench may need: its network, keyboard and stick, and all that tells
// or sets something of the processor. None of them touches a disk.
var wantedFolders = []string{
	"arch/x86/", "drivers/acpi/", "drivers/char/ipmi/", "drivers/cpufreq/", "drivers/edac/", "drivers/hid/hid-generic.ko",
	"drivers/hid/hid.ko", "drivers/hid/usbhid/", "drivers/hwmon/", "drivers/i2c/", "drivers/idle/", "drivers/mfd/", "drivers/net/ethernet/",
	"drivers/net/mdio/", "drivers/net/mii.ko", "drivers/net/net_failover.ko", "drivers/net/pcs/", "drivers/net/phy/", "drivers/net/usb/",
	"drivers/net/virtio_net.ko", "drivers/platform/x86/", "drivers/powercap/", "drivers/ptp/", "drivers/scsi/scsi_common.ko",
	"drivers/scsi/scsi_mod.ko", "drivers/scsi/sd_mod.ko", "drivers/thermal/", "drivers/usb/", "drivers/virtio/", "fs/fat/",
	"fs/nls/nls_ascii.ko", "fs/nls/nls_cp437.ko", "fs/nls/nls_iso8859-1.ko", "fs/nls/nls_utf8.ko", "net/core/failover.ko",
}

// unwanted are parts of these that no machine on a bench has, or that do what a quiet one shall not.
var unwanted = []string{
	"arch/x86/kvm/", "drivers/usb/gadget/", "drivers/usb/misc/", "drivers/usb/serial/", "drivers/usb/atm/", "drivers/usb/image/",
	"drivers/usb/usbip/", "drivers/usb/class/", "drivers/usb/musb/", "drivers/usb/dwc2/", "drivers/acpi/apei/einj.ko",
}

// moduleFolder is where the package keeps them, under a folder of the kernel's version.
const moduleFolder = "lib/modules/"

// inKernel returns a module's path below the kernel's own folder, and false for what is none.
func inKernel(name string) (string, bool) {
	rest, is := strings.CutPrefix(strings.TrimPrefix(name, "usr/"), moduleFolder)
	_, below, found := strings.Cut(rest, "/kernel/")
	return below, is && found && (strings.HasSuffix(below, ".ko") || strings.HasSuffix(below, ".ko.xz"))
}

// inAny is whether one of some folders, or files without what compresses them, holds a path.
func inAny(list []string, p string) bool {
	p = strings.TrimSuffix(p, ".xz")
	return slices.ContainsFunc(list, func(one string) bool { return strings.HasPrefix(p, one) })
}

// wanted is whether a file of the kernel's package shall be read: any module may be needed by another.
func wanted(name string) bool {
	_, is := inKernel(name)
	return is
}

// readModule reads a module with what it says of itself.
func readModule(name string, r io.Reader) (module, error) {
	below, _ := inKernel(name)
	m := module{Module: bench.Module{Path: below}}
	data, err := io.ReadAll(r)
	if err != nil {
		return m, err
	}
	m.data = data
	plain := data
	if strings.HasSuffix(below, ".xz") {
		if plain, err = unxz(data); err != nil {
			return m, fmt.Errorf("%s: %w", below, err)
		}
	}
	f, err := elf.NewFile(bytes.NewReader(plain))
	if err != nil {
		return m, fmt.Errorf("%s: %w", below, err)
	}
	section := f.Section(".modinfo")
	if section == nil {
		return m, nil
	}
	info, err := section.Data()
	if err != nil {
		return m, fmt.Errorf("%s: %w", below, err)
	}
	for line := range bytes.SplitSeq(info, []byte{0}) {
		key, value, _ := strings.Cut(string(line), "=")
		switch key {
		case "alias":
			m.Aliases = append(m.Aliases, value)
		case "depends":
			m.Needs = append(m.Needs, strings.FieldsFunc(value, func(r rune) bool { return r == ',' })...)
		case "softdep":
			if before, is := strings.CutPrefix(value, "pre:"); is {
				before, _, _ = strings.Cut(before, "post:")
				m.Likes = append(m.Likes, strings.Fields(before)...)
			}
		}
	}
	return m, nil
}

// closure keeps the modules that are wanted and those that they need, ordered by their paths.
func closure(all []module) ([]module, error) {
	byName := map[string]*module{}
	for i := range all {
		byName[all[i].Name()] = &all[i]
	}
	keep := map[string]bool{}
	var add func(m *module) error
	add = func(m *module) error {
		if keep[m.Path] {
			return nil
		}
		keep[m.Path] = true
		for _, name := range m.Needs {
			needed, is := byName[bench.ModuleName(name)]
			if !is {
				return fmt.Errorf("the module %s needs %s, which the kernel's package does not hold", m.Path, name)
			}
			if err := add(needed); err != nil {
				return err
			}
		}
		for _, name := range m.Likes {
			if liked, is := byName[bench.ModuleName(name)]; is {
				if err := add(liked); err != nil {
					return err
				}
			}
		}
		return nil
	}
	for i := range all {
		if inAny(wantedFolders, all[i].Path) && !inAny(unwanted, all[i].Path) {
			if err := add(&all[i]); err != nil {
				return nil, err
			}
		}
	}
	var out []module
	for _, m := range all {
		if keep[m.Path] {
			out = append(out, m)
		}
	}
	slices.SortFunc(out, func(a, b module) int { return strings.Compare(path.Clean(a.Path), path.Clean(b.Path)) })
	return out, nil
}
