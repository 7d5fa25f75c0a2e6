package spool

import (
	"errors"
	"os"
	"path/filepath"
	"testing"

	"zerokeel/core/verdict"
	"zerokeel/link"
)

func frame(seq uint64) link.Frame {
	x := float64(seq)
	f := link.Frame{Seq: seq, Samples: &link.Samples{At: []int64{int64(seq)}, Channels: []string{"a"}, Values: [][]*float64{{&x}}}}
	if seq%3 == 0 {
		f.Events = []link.Event{{Order: "o", Kind: verdict.EventCorrected, Core: 1}}
	}
	return f
}

func open(t *testing.T, dir, stream string) *Spool {
	t.Helper()
	s, err := Open(dir, Head{Stream: stream, BootID: "b"})
	if err != nil {
		t.Fatal(err)
	}
	return s
}

func TestWhatWasNotAcknowledgedIsLeft(t *testing.T) {
	dir := t.TempDir()
	first, second := open(t, dir, "first"), open(t, dir, "second")
	for seq := uint64(1); seq <= 9; seq++ {
		if err := first.Keep(frame(seq)); err != nil {
			t.Fatal(err)
		}
		if seq == 4 { // all so far are acknowledged
			if err := first.Drop(4); err != nil {
				t.Fatal(err)
			}
		}
	}
	if err := first.Drop(6); err != nil { // some; they may be sent again
		t.Fatal(err)
	}
	// A crash: nothing is closed. A torn line stands at the end.
	f, _ := os.OpenFile(filepath.Join(dir, "spool-first.jsonl"), os.O_APPEND|os.O_WRONLY, 0)
	_, _ = f.WriteString(`{"seq":10,"samp`)
	_ = f.Close()
	left, err := Leftovers(dir)
	if err != nil || len(left) != 1 {
		t.Fatalf("%d are left, %v", len(left), err)
	}
	l := left[0]
	if l.Stream != "first" || l.BootID != "b" || len(l.Frames) != 5 || l.Frames[0].Seq != 5 || l.Frames[4].Seq != 9 ||
		len(l.Frames[1].Events) != 1 || *l.Frames[2].Samples.Values[0][0] != 7 {
		t.Errorf("left: %+v", l)
	}
	if err := l.Remove(); err != nil {
		t.Fatal(err)
	}
	if again, _ := Leftovers(dir); len(again) != 0 {
		t.Error("what was delivered is left once more")
	}
	_ = second.Close()
}

func TestBoundGivesUpFiguresOnly(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir, "s")
	s.bound = 400
	for seq := uint64(1); seq <= 30; seq++ {
		if err := s.Keep(frame(seq)); err != nil {
			t.Fatal(err)
		}
	}
	left, err := Leftovers(dir)
	if err != nil || len(left) != 1 || len(left[0].Frames) != 30 {
		t.Fatalf("%+v, %v", left, err)
	}
	for _, f := range left[0].Frames {
		if (f.Samples != nil) != (f.Seq < 6) || (len(f.Events) == 1) != (f.Seq%3 == 0) {
			t.Errorf("frame %d: samples %v, events %v", f.Seq, f.Samples != nil, f.Events)
		}
	}
}

// fullDisk takes a few bytes of each write until room is made.
type fullDisk struct {
	*os.File
	full bool
}

var errFull = errors.New("no space left on device")

func (d *fullDisk) Write(p []byte) (int, error) {
	if d.full {
		n, _ := d.File.Write(p[:len(p)/2])
		return n, errFull
	}
	return d.File.Write(p)
}

func TestFullDisk(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir, "s")
	disk := &fullDisk{File: s.file.(*os.File)}
	s.file = disk
	for seq := uint64(1); seq <= 6; seq++ {
		disk.full = seq == 3
		if err := s.Keep(frame(seq)); (err != nil) != disk.full || disk.full && !errors.Is(err, errFull) {
			t.Errorf("frame %d: %v", seq, err)
		}
	}
	left, err := Leftovers(dir)
	if err != nil || len(left) != 1 || len(left[0].Frames) != 2 {
		t.Errorf("want the two frames before the gap, got %+v, %v", left, err)
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte("\n{\"stream\":\"s\",\"bootId\":\"b\"}\n{\"seq\":1}\n\n{\"seq\":2}\n"))
	f.Add([]byte("{\"seq\":1}"))
	f.Fuzz(func(t *testing.T, text []byte) {
		left := Parse(text)
		for i, one := range left.Frames {
			if left.Stream == "" || one.Seq != left.Frames[0].Seq+uint64(i) {
				t.Error("frames without a head, or with a gap")
			}
		}
	})
}
