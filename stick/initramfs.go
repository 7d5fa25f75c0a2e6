package stick

import (
	"bytes"
	"encoding/json"
	"io"
	"path"
	"slices"

	"github.com/cavaliergopher/cpio"
	"github.com/klauspost/compress/zstd"
	"github.com/ulikunitz/xz"

	"zerokeel/rigside/bench"
)

// initramfs packs the first file system, which is the only one: the program as the first process, the kernel's modules with a table of
// them, and folders to mount on.
func initramfs(program []byte, modules []module) ([]byte, error) {
	var out bytes.Buffer
	z, err := zstd.NewWriter(&out, zstd.WithEncoderLevel(zstd.SpeedBetterCompression), zstd.WithEncoderConcurrency(1))
	if err != nil {
		return nil, err
	}
	w := cpio.NewWriter(z)
	folders := map[string]bool{}
	var folder func(name string) error
	folder = func(name string) error {
		if name == "." || name == "/" || folders[name] {
			return nil
		}
		folders[name] = true
		if err := folder(path.Dir(name)); err != nil {
			return err
		}
		return w.WriteHeader(&cpio.Header{Name: name, Mode: cpio.TypeDir | 0o755, ModTime: made, Links: 2})
	}
	put := func(name string, mode cpio.FileMode, data []byte) error {
		if err := folder(path.Dir(name)); err != nil {
			return err
		}
		h := &cpio.Header{Name: name, Mode: cpio.TypeReg | mode, ModTime: made, Size: int64(len(data)), Links: 1}
		if err := w.WriteHeader(h); err != nil {
			return err
		}
		_, err := w.Write(data)
		return err
	}
	for _, name := range bench.Folders {
		if err := folder(name); err != nil {
			return nil, err
		}
	}
	if err := put("init", 0o755, program); err != nil {
		return nil, err
	}
	table := make([]bench.Module, len(modules))
	for i, m := range modules {
		table[i] = m.Module
		slices.Sort(table[i].Aliases)
		if err := put(path.Join(bench.ModuleFolder, m.Path), 0o644, m.data); err != nil {
			return nil, err
		}
	}
	text, err := json.Marshal(table)
	if err != nil {
		return nil, err
	}
	if err := put(bench.ModuleTable, 0o644, text); err != nil {
		return nil, err
	}
	if err := put("etc/os-release", 0o644, []byte("PRETTY_NAME=\"Zero Keel bench stick\"\n")); err != nil {
		return nil, err
	}
	if err := w.Close(); err != nil {
		return nil, err
	}
	if err := z.Close(); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}

func unxz(data []byte) ([]byte, error) {
	r, err := xz.NewReader(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	return io.ReadAll(r)
}
