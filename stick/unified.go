package stick

import (
	"bytes"
	"debug/pe"
	"encoding/binary"
	"errors"
	"fmt"
)

// Offsets into a PE file, as its specification has them.
const (
	peAt            = 0x3c // where its header's place stands
	peSections      = 6    // of the header: how many sections there are
	peOptional      = 24   // of the header: where the optional header begins
	peSectionAlign  = 32   // of the optional header, from here on
	peFileAlign     = 36
	peImageSize     = 56
	peHeadersSize   = 60
	peSectionHeader = 40         // bytes of one
	peData          = 0x40000040 // what a section is: data, and to be read
	pageSize        = 0x1000
)

// unified puts a kernel, its first file system and its command line into the stub, a UEFI executable that starts them: each as a section of
// its own, under the name by which the stub looks for it.
func unified(stub, kernel, first []byte, line string) ([]byte, error) {
	p, err := pe.NewFile(bytes.NewReader(stub))
	if err != nil {
		return nil, fmt.Errorf("the stub is no UEFI executable: %w", err)
	}
	if _, is := p.OptionalHeader.(*pe.OptionalHeader64); !is || p.Machine != pe.IMAGE_FILE_MACHINE_AMD64 {
		return nil, errors.New("the stub is not one for x86-64")
	}
	le := binary.LittleEndian
	out := bytes.Clone(stub)
	header := int(le.Uint32(out[peAt:]))
	optional := header + peOptional
	table := optional + int(p.SizeOfOptionalHeader)
	headers := int(le.Uint32(out[optional+peHeadersSize:]))
	fileAlign, sectionAlign := int(le.Uint32(out[optional+peFileAlign:])), int(le.Uint32(out[optional+peSectionAlign:]))
	add := []struct {
		name string
		data []byte
	}{{".cmdline", append([]byte(line), 0)}, {".linux", kernel}, {".initrd", first}}
	n := len(p.Sections)
	if table+(n+len(add))*peSectionHeader > headers {
		return nil, fmt.Errorf("the stub has no room for %d sections more", len(add))
	}
	at := 0 // in memory, behind everything that is there
	for _, s := range p.Sections {
		at = max(at, int(s.VirtualAddress)+max(int(s.VirtualSize), int(s.Size)))
	}
	out = pad(out, fileAlign)
	for i, s := range add {
		at = up(at, max(sectionAlign, pageSize))
		h := out[table+(n+i)*peSectionHeader:]
		copy(h[:8], s.name)
		le.PutUint32(h[8:], uint32(len(s.data)))
		le.PutUint32(h[12:], uint32(at))
		le.PutUint32(h[16:], uint32(up(len(s.data), fileAlign)))
		le.PutUint32(h[20:], uint32(len(out)))
		clear(h[24:36])
		le.PutUint32(h[36:], peData)
		out = pad(append(out, s.data...), fileAlign)
		at += len(s.data)
	}
	le.PutUint16(out[header+peSections:], uint16(n+len(add)))
	le.PutUint32(out[optional+peImageSize:], uint32(up(at, max(sectionAlign, pageSize))))
	return out, nil
}

// up rounds up to a multiple.
func up(n, of int) int { return (n + of - 1) / of * of }

func pad(b []byte, to int) []byte { return append(b, make([]byte, up(len(b), to)-len(b))...) }
