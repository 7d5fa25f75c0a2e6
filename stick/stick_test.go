package stick

import (
	"bytes"
	"debug/elf"
	"debug/pe"
	"encoding/binary"
	"encoding/json"
	"errors"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/cavaliergopher/cpio"
	"github.com/diskfs/go-diskfs"
	"github.com/diskfs/go-diskfs/partition/gpt"
	"github.com/klauspost/compress/zstd"

	"zerokeel/rigside/bench"
)

// madeModule is a module that says something of itself.
func madeModule(t *testing.T, name, info string) module {
	t.Helper()
	names := "\x00.modinfo\x00.shstrtab\x00"
	text := strings.ReplaceAll(info, "\n", "\x00")
	var b bytes.Buffer
	h := elf.Header64{Ident: [16]byte{0x7f, 'E', 'L', 'F', byte(elf.ELFCLASS64), byte(elf.ELFDATA2LSB), byte(elf.EV_CURRENT)},
		Type: uint16(elf.ET_REL), Machine: uint16(elf.EM_X86_64), Version: 1, Shoff: 64, Ehsize: 64, Shentsize: 64, Shnum: 3, Shstrndx: 2}
	data := uint64(64 + 3*64)
	for _, part := range []any{h, elf.Section64{},
		elf.Section64{Name: 1, Type: uint32(elf.SHT_PROGBITS), Off: data, Size: uint64(len(text))},
		elf.Section64{Name: 10, Type: uint32(elf.SHT_STRTAB), Off: data + uint64(len(text)), Size: uint64(len(names))},
		[]byte(text + names)} {
		if err := binary.Write(&b, binary.LittleEndian, part); err != nil {
			t.Fatal(err)
		}
	}
	if !wanted("lib/modules/6.1.0/kernel/" + name) {
		t.Fatalf("%s is not read", name)
	}
	m, err := readModule("lib/modules/6.1.0/kernel/"+name, &b)
	if err != nil {
		t.Fatal(err)
	}
	return m
}

// madeStub is a UEFI executable with one section and room for four more.
func madeStub(t *testing.T) []byte {
	t.Helper()
	var b bytes.Buffer
	dos := make([]byte, 128)
	copy(dos, "MZ")
	binary.LittleEndian.PutUint32(dos[0x3c:], 128)
	text := bytes.Repeat([]byte{0xc3}, 512)
	for _, part := range []any{dos, []byte("PE\x00\x00"),
		pe.FileHeader{Machine: pe.IMAGE_FILE_MACHINE_AMD64, NumberOfSections: 1, SizeOfOptionalHeader: 240, Characteristics: 2},
		pe.OptionalHeader64{Magic: 0x20b, SectionAlignment: 4096, FileAlignment: 512, SizeOfImage: 0x2000, SizeOfHeaders: 1024, Subsystem: 10,
			NumberOfRvaAndSizes: 16},
		pe.SectionHeader32{Name: [8]uint8{'.', 't', 'e', 'x', 't'}, VirtualSize: 300, VirtualAddress: 0x1000, SizeOfRawData: 512,
			PointerToRawData: 1024}} {
		if err := binary.Write(&b, binary.LittleEndian, part); err != nil {
			t.Fatal(err)
		}
	}
	return append(append(b.Bytes(), make([]byte, 1024-b.Len())...), text...)
}

// TestImage reads an image as firmware and kernel would: its table, its file system, the executable's sections, the first file system in
// them and the table of modules; made twice it is the same.
func TestImage(t *testing.T) {
	modules, err := closure([]module{
		madeModule(t, "drivers/net/ethernet/e1000.ko", "alias=pci:v00008086d0000100E*\ndepends=ptp-core,mii\nlicense=x"),
		madeModule(t, "lib/ptp_core.ko", "depends="),
		madeModule(t, "drivers/net/mii.ko", "softdep=pre: crc32c post: never"),
		madeModule(t, "lib/crc32c.ko", "license=x"),
		madeModule(t, "drivers/nvme/host/nvme.ko", "alias=pci:*"),
		madeModule(t, "drivers/usb/gadget/g.ko", "alias=x"),
	})
	if err != nil {
		t.Fatal(err)
	}
	p := &parts{stub: madeStub(t), kernel: bytes.Repeat([]byte("kernel"), 1000), modules: modules}
	program := bytes.Repeat([]byte{1, 2, 3}, 1<<16)
	note := bench.Note{Codes: []string{"no code, but a text"}}
	var images [2][]byte
	path := ""
	for i := range images {
		path = filepath.Join(t.TempDir(), "stick.img")
		if err := write(path, func(f *os.File) error { return assemble(f, Config{Note: note, Words: "further=1"}, program, p) }); err != nil {
			t.Fatal(err)
		}
		if images[i], err = os.ReadFile(path); err != nil {
			t.Fatal(err)
		}
	}
	if !bytes.Equal(images[0], images[1]) {
		t.Error("the same parts make two images")
	}
	d, err := diskfs.Open(path, diskfs.WithOpenMode(diskfs.ReadOnly))
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = d.Close() }()
	table, err := d.GetPartitionTable()
	if err != nil {
		t.Fatal(err)
	}
	if g, is := table.(*gpt.Table); !is || g.Partitions[0].Type != gpt.EFISystemPartition {
		t.Errorf("the image's table is %+v", table)
	}
	fat, err := d.GetFilesystem(1)
	if err != nil {
		t.Fatal(err)
	}
	if l := strings.TrimSpace(fat.Label()); l != Label {
		t.Errorf("the file system is called %q", l)
	}
	read := func(name string) []byte {
		t.Helper()
		f, err := fat.OpenFile(name, os.O_RDONLY)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		b, err := io.ReadAll(f)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		return b
	}
	if got := string(read("/" + bench.NoteFile)); got != note.String() {
		t.Errorf("the note is %q", got)
	}
	x, err := pe.NewFile(bytes.NewReader(read("/EFI/BOOT/BOOTX64.EFI")))
	if err != nil {
		t.Fatal(err)
	}
	sections := map[string][]byte{}
	end := uint32(0)
	for _, s := range x.Sections {
		b, err := s.Data()
		if err != nil {
			t.Fatal(err)
		}
		if s.VirtualAddress < end || s.VirtualAddress%4096 != 0 {
			t.Errorf("%s lies at %#x, what is before it ends at %#x", s.Name, s.VirtualAddress, end)
		}
		end = s.VirtualAddress + s.VirtualSize
		sections[s.Name] = b[:min(len(b), int(s.VirtualSize))]
	}
	if o := x.OptionalHeader.(*pe.OptionalHeader64); o.SizeOfImage < end {
		t.Errorf("the executable takes %#x of memory, and says %#x", end, o.SizeOfImage)
	}
	if line := string(sections[".cmdline"]); line != commandLine+" further=1\x00" {
		t.Errorf("the command line is %q", line)
	}
	if !bytes.Equal(sections[".linux"], p.kernel) {
		t.Error("the kernel is not the one that was given")
	}
	files := unpacked(t, sections[".initrd"])
	if !bytes.Equal(files["init"], program) {
		t.Error("the first process is not the program")
	}
	for _, name := range bench.Folders {
		if _, is := files[name]; !is {
			t.Errorf("there is no folder %s", name)
		}
	}
	var told []bench.Module
	if err := json.Unmarshal(files[bench.ModuleTable], &told); err != nil {
		t.Fatal(err)
	}
	var names []string
	for _, m := range told {
		names = append(names, m.Name())
		if len(files[bench.ModuleFolder+"/"+m.Path]) == 0 {
			t.Errorf("%s is in the table alone", m.Path)
		}
	}
	if want := []string{"e1000", "mii", "crc32c", "ptp_core"}; !slices.Equal(names, want) {
		t.Errorf("the modules are %q, %q are needed", names, want)
	}
}

// unpacked reads a first file system.
func unpacked(t *testing.T, archive []byte) map[string][]byte {
	t.Helper()
	z, err := zstd.NewReader(bytes.NewReader(archive))
	if err != nil {
		t.Fatal(err)
	}
	defer z.Close()
	out := map[string][]byte{}
	r := cpio.NewReader(z)
	for {
		h, err := r.Next()
		if errors.Is(err, io.EOF) {
			return out
		} else if err != nil {
			t.Fatal(err)
		}
		if dir := filepath.Dir(h.Name); dir != "." && out[dir] == nil {
			t.Errorf("%s stands before its folder", h.Name)
		}
		b, err := io.ReadAll(r)
		if err != nil {
			t.Fatal(err)
		}
		out[h.Name] = append([]byte{}, b...)
	}
}

// TestRefused: what would make a stick that does not start is refused, and leaves no file.
func TestRefused(t *testing.T) {
	if _, err := closure([]module{madeModule(t, "drivers/hwmon/a.ko", "depends=gone")}); err == nil {
		t.Error("a module is taken without one that it needs")
	}
	if _, err := unified([]byte("no executable"), nil, nil, ""); err == nil {
		t.Error("a stub is taken that is none")
	}
	full := madeStub(t)
	binary.LittleEndian.PutUint32(full[128+peOptional+peHeadersSize:], 128+peOptional+240+2*peSectionHeader)
	if _, err := unified(full, nil, nil, ""); err == nil || !strings.Contains(err.Error(), "no room") {
		t.Errorf("a stub without room: %v", err)
	}
	dir := t.TempDir()
	script := filepath.Join(dir, "script")
	if err := os.WriteFile(script, []byte("#!/bin/sh\n"), 0o700); err != nil {
		t.Fatal(err)
	}
	if err := Make(t.Context(), Config{Program: script}, filepath.Join(dir, "out.img")); err == nil {
		t.Error("a program is taken that cannot be the first process")
	}
	if err := write(filepath.Join(dir, "out.img"), func(*os.File) error { return errors.New("half") }); err == nil {
		t.Error("half an image is kept")
	}
	if left, _ := filepath.Glob(filepath.Join(dir, "out*")); len(left) > 0 {
		t.Errorf("%q are left", left)
	}
}

// BenchmarkMake makes a stick from packages that are there already, against unpacking the kernel's package alone.
func BenchmarkMake(b *testing.B) {
	cache := UsualCache()
	if _, err := fetch(b.Context(), cache); err != nil {
		b.Skip(err)
	}
	kernel, err := kernelName(b.Context())
	if err != nil {
		b.Fatal(err)
	}
	program := filepath.Join(b.TempDir(), "zerokeel")
	build := exec.Command("go", "build", "-o", program, "zerokeel/cmd/zerokeel")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		b.Fatalf("%v: %s", err, out)
	}
	out := filepath.Join(b.TempDir(), "stick.img")
	var baseline time.Duration
	for b.Loop() {
		if err := Make(b.Context(), Config{Program: program, Cache: cache}, out); err != nil {
			b.Fatal(err)
		}
		b.StopTimer()
		from := time.Now()
		past := func(_ string, r io.Reader) error { _, err := io.Copy(io.Discard, r); return err }
		if err := unpack(b.Context(), cache, kernel, past); err != nil {
			b.Fatal(err)
		}
		baseline += time.Since(from)
		b.StartTimer()
	}
	info, err := os.Stat(out)
	if err != nil {
		b.Fatal(err)
	}
	b.ReportMetric(b.Elapsed().Seconds()/float64(b.N), "s/stick")
	b.ReportMetric(float64(info.Size())/1e6, "MB")
	b.ReportMetric(b.Elapsed().Seconds()/baseline.Seconds(), "of-unpacking-the-kernel")
}
