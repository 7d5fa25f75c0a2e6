package sensors

import (
	"testing"
	"testing/fstest"
)

// structure writes one of the firmware's tables: its kind, its fields from the fifth byte on, and its texts.
func structure(kind byte, fields []byte, texts ...string) []byte {
	out := append([]byte{kind, byte(4 + len(fields)), 1, 0}, fields...)
	for _, text := range texts {
		out = append(append(out, text...), 0)
	}
	if len(texts) == 0 {
		out = append(out, 0)
	}
	return append(out, 0)
}

// slot writes the fields of a memory device of so many MB, or its mark for the larger field.
func slot(size uint16, more uint32, rated, set uint16) []byte {
	f := make([]byte, 0x28-4)
	put := func(at int, x uint16) { f[at-4], f[at-3] = byte(x), byte(x>>8) }
	put(0x0c, size)
	put(0x15, rated)
	put(0x1c, uint16(more))
	put(0x1e, uint16(more>>16))
	put(0x20, set)
	put(0x26, 1350)
	f[0x10-4], f[0x17-4], f[0x1a-4] = 1, 2, 3
	return f
}

// TestWhatTheFirmwareTells: board, version and modules are told as they stand; empty slots and texts that nobody filled in are not.
func TestWhatTheFirmwareTells(t *testing.T) {
	var table []byte
	for _, one := range [][]byte{
		structure(0, []byte{1, 2}, "some", "texts"),
		structure(17, slot(16384, 0, 6000, 4800), "DIMM A2", "Cairn", "6000 CL32"),
		structure(17, slot(0, 0, 0, 0), "DIMM B1", "Unknown", "x"),
		structure(17, slot(0x7fff, 65536, 5600, 0), "DIMM B2", "Default string", "K1"),
		structure(127, nil),
		structure(17, slot(1, 0, 1, 1), "after", "the", "end"),
	} {
		table = append(table, one...)
	}
	tree := fstest.MapFS{"sys/firmware/dmi/tables/DMI": {Data: table}}
	for name, text := range map[string]string{"board_vendor": "To be filled by O.E.M.\n", "board_name": "Skerry M1\n",
		"bios_version": "1.4.2\n"} {
		tree["sys/class/dmi/id/"+name] = &fstest.MapFile{Data: []byte(text)}
	}
	facts := Facts(tree, nil)
	if facts.Board != "Skerry M1" || facts.Firmware != "1.4.2" || len(facts.Modules) != 2 {
		t.Fatalf("%+v", facts)
	}
	if m := facts.Modules[0]; m.Slot != "DIMM A2" || m.SizeMB != 16384 || m.RatedMTs != 6000 || m.MTs != 4800 || m.MilliV != 1350 ||
		m.Part != "Cairn 6000 CL32" {
		t.Errorf("%+v", m)
	}
	if m := facts.Modules[1]; m.SizeMB != 65536 || m.MTs != 0 || m.Part != "K1" {
		t.Errorf("%+v", m)
	}
}

func FuzzModules(f *testing.F) {
	f.Add(structure(17, slot(16384, 0, 6000, 4800), "A", "B", "C"))
	f.Add([]byte{17, 5, 0, 0, 1})
	f.Fuzz(func(t *testing.T, data []byte) {
		if n := len(modules(data)); n > mostModules || n > len(data)/6 {
			t.Errorf("%d modules of %d bytes", n, len(data))
		}
	})
}
