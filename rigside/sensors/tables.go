package sensors

import (
	"bytes"
	"encoding/binary"
	"io/fs"
	"strings"

	"zerokeel/link"
)

// describe tells what the firmware says of the board, of itself and of the memory, as the kernel gives it. (System Management BIOS,
// DSP0134: structures 17.)
func describe(root fs.FS, facts *link.Facts) {
	f := finder{root: root}
	id := func(name string) string { return told(f.text("sys/class/dmi/id/" + name)) }
	facts.Board = strings.TrimSpace(id("board_vendor") + " " + id("board_name"))
	facts.Firmware = id("bios_version")
	if data, err := fs.ReadFile(root, "sys/firmware/dmi/tables/DMI"); err == nil {
		facts.Modules = modules(data)
	}
}

// told returns a text of the firmware; empty where somebody forgot to fill it in.
func told(text string) string {
	text = strings.TrimSpace(text)
	low := strings.ToLower(text)
	for _, forgotten := range []string{"o.e.m.", "default string", "not specified", "not applicable", "unknown", "system product name"} {
		if strings.Contains(low, forgotten) {
			return ""
		}
	}
	return text
}

// memoryDevice is the type of structures that tell of a slot for memory, and endOfTable of the one after the last.
const (
	memoryDevice = 17
	endOfTable   = 127
	headerBytes  = 4
	mostModules  = 64
)

// modules lists the memory modules of the firmware's tables, slot by slot; what is not well formed ends the list.
func modules(data []byte) (out []link.Module) {
	for len(data) >= headerBytes && len(out) < mostModules {
		kind, length := data[0], int(data[1])
		if length < headerBytes || length > len(data) || kind == endOfTable {
			return out
		}
		fields := data[:length]
		texts, rest, found := bytes.Cut(data[length:], []byte{0, 0})
		if !found {
			return out
		}
		data = rest
		if kind == memoryDevice {
			if m, there := module(fields, bytes.Split(texts, []byte{0})); there {
				out = append(out, m)
			}
		}
	}
	return out
}

// module reads a memory device; false of an empty slot.
func module(fields []byte, texts [][]byte) (m link.Module, there bool) {
	word := func(at int) int {
		if at+2 > len(fields) {
			return 0
		}
		return int(binary.LittleEndian.Uint16(fields[at:]))
	}
	text := func(at int) string {
		if at >= len(fields) || fields[at] == 0 || int(fields[at]) > len(texts) {
			return ""
		}
		return told(string(texts[fields[at]-1]))
	}
	const (
		size, slot, maker, part, rated, set, more, millivolts = 0x0c, 0x10, 0x17, 0x1a, 0x15, 0x20, 0x1c, 0x26
		unknown, extended, kilobytes                          = 0xffff, 0x7fff, 0x8000
	)
	switch n := word(size); {
	case n == 0 || n == unknown:
		return m, false
	case n == extended && more+4 <= len(fields):
		m.SizeMB = int(binary.LittleEndian.Uint32(fields[more:]) & 0x7fffffff)
	case n >= kilobytes:
		m.SizeMB = (n - kilobytes) / 1024
	default:
		m.SizeMB = n
	}
	m.Slot, m.RatedMTs, m.MTs, m.MilliV = text(slot), word(rated), word(set), word(millivolts)
	m.Part = strings.TrimSpace(text(maker) + " " + text(part))
	return m, true
}
