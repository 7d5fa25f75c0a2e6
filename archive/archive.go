// Package archive is the form in which a rig's records leave one server and come to another: a ZIP file of JSON lines and CSV, which
// docs/archive.md describes. It knows nothing of a database.
package archive

import (
	"archive/zip"
	"bufio"
	"compress/flate"
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"math"
	"slices"
	"time"

	"zerokeel/core/invalid"
)

// Format marks an archive of this version. Manifest is the file that says what an archive holds.
const (
	Format   = "zerokeel.archive/1"
	Manifest = "manifest.json"
)

// Contents is what an archive holds.
type Contents struct {
	Format string    `json:"format"`
	MadeAt time.Time `json:"madeAt"`
	Schema int64     `json:"schema"` // version of the records that it was made of
	Rigs   []Rig     `json:"rigs"`
	Shared Counts    `json:"shared"` // lines of the files that belong to no one rig
}

// Rig is what an archive holds of one rig.
type Rig struct {
	Name     string   `json:"name"`
	Folder   string   `json:"folder"`
	Lines    Counts   `json:"lines"`    // of each file of JSON lines, by its name without ending
	Legs     []Leg    `json:"legs"`     // whose samples are there
	Channels []string `json:"channels"` // that these are of
}

// Leg is a leg whose samples are there, by its place among the rig's legs, from 1.
type Leg struct {
	Leg     int64 `json:"leg"`
	Moments int   `json:"moments"` // lines of its file
}

// Counts are the lines of files, by their names.
type Counts map[string]int

// LinesOf names the file of JSON lines of a table, in a folder; SamplesOf that of a leg's samples.
func LinesOf(folder, table string) string { return folder + "/" + table + ".jsonl" }

// SamplesOf names the file of a leg's samples.
func SamplesOf(folder string, leg int64) string {
	return fmt.Sprintf("%s/samples/leg-%d.csv", folder, leg)
}

// Shared is the folder of what belongs to no one rig.
const Shared = "shared"

// Writer writes an archive.
type Writer struct{ zip *zip.Writer }

// NewWriter begins an archive.
func NewWriter(to io.Writer) *Writer {
	z := zip.NewWriter(to)
	z.RegisterCompressor(zip.Deflate, func(w io.Writer) (io.WriteCloser, error) { return flate.NewWriter(w, flate.BestSpeed) })
	return &Writer{z}
}

// Create begins a file; the one before is complete.
func (w *Writer) Create(name string) (io.Writer, error) {
	out, err := w.zip.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate}) // without a time: the same records make the same file
	if err != nil {
		return nil, fmt.Errorf("archive: begin %s: %w", name, err)
	}
	return out, nil
}

// Close writes what the archive holds, and ends it.
func (w *Writer) Close(c *Contents) error {
	to, err := w.Create(Manifest)
	if err != nil {
		return err
	}
	c.Format = Format
	text, err := json.MarshalIndent(c, "", " ")
	if err == nil {
		_, err = to.Write(append(text, '\n'))
	}
	if err == nil {
		err = w.zip.Close()
	}
	if err != nil {
		return fmt.Errorf("archive: end it: %w", err)
	}
	return nil
}

// Reader reads an archive.
type Reader struct {
	Contents
	zip *zip.Reader
}

// Bounds on what an archive may hold.
const (
	mostLine     = 32 << 20
	mostManifest = 64 << 20
	mostRigs     = 1000
)

// Open looks into an archive of some bytes. The error is an invalid.List where it is none, was cut off, is of another version, or holds
// something twice.
func Open(from io.ReaderAt, size int64) (*Reader, error) {
	refuse := func(remedy, problem string, args ...any) (*Reader, error) {
		return nil, invalid.List{{Field: "archive", Problem: fmt.Sprintf(problem, args...), Remedy: remedy}}
	}
	z, err := zip.NewReader(from, size)
	if err != nil {
		return refuse("make it again, and carry it over whole", "it is no archive, or its end is missing: %v", err)
	}
	r := &Reader{zip: z}
	seen := map[string]bool{}
	for _, f := range z.File {
		if seen[f.Name] {
			return refuse("make it again", "%.100q stands in it twice", f.Name)
		}
		seen[f.Name] = true
	}
	if !seen[Manifest] {
		return refuse("take an archive that a server of this kind made", "there is no %s in it", Manifest)
	}
	text, err := r.whole(Manifest, mostManifest)
	if err != nil {
		return refuse("make it again", "its %s cannot be read: %v", Manifest, err)
	}
	if err := json.Unmarshal(text, &r.Contents); err != nil {
		return refuse("make it again", "its %s is no JSON: %v", Manifest, err)
	}
	if r.Format != Format {
		return refuse("bring this server to the version that made it", "it is of %.40q, and this version reads %s", r.Format, Format)
	}
	names, folders := map[string]bool{}, map[string]bool{}
	if len(r.Rigs) == 0 || len(r.Rigs) > mostRigs {
		return refuse(fmt.Sprintf("make one of 1 to %d rigs", mostRigs), "it holds %d rigs", len(r.Rigs))
	}
	for i := range r.Rigs {
		one := &r.Rigs[i]
		if names[one.Name] || folders[one.Folder] || !fs.ValidPath(one.Folder) {
			return refuse("make it again", "the rig %.60q stands in it twice, or in no folder of its own", one.Name)
		}
		names[one.Name], folders[one.Folder] = true, true
		for table := range one.Lines {
			if name := LinesOf(one.Folder, table); !seen[name] {
				return refuse("make it again", "%.100s is missing", name)
			}
		}
		for _, l := range one.Legs {
			if name := SamplesOf(one.Folder, l.Leg); !seen[name] {
				return refuse("make it again", "%.100s is missing", name)
			}
		}
	}
	return r, nil
}

func (r *Reader) whole(name string, most int64) ([]byte, error) {
	f, err := r.zip.Open(name)
	if err != nil {
		return nil, err
	}
	defer func() { _ = f.Close() }()
	return io.ReadAll(io.LimitReader(f, most))
}

// Lines hands every line of a file to take, and wants so many of them. What is damaged is noticed by its checksum.
func (r *Reader) Lines(name string, want int, take func(line []byte) error) error {
	f, err := r.zip.Open(name)
	if err != nil {
		return damaged(name, err)
	}
	defer func() { _ = f.Close() }()
	lines := bufio.NewScanner(f)
	lines.Buffer(make([]byte, 64<<10), mostLine)
	n := 0
	for lines.Scan() {
		n++
		if err := take(lines.Bytes()); err != nil {
			return err
		}
	}
	if err := lines.Err(); err != nil {
		return damaged(name, err)
	}
	if n != want {
		return damaged(name, fmt.Errorf("it has %d lines, and should have %d", n, want))
	}
	return nil
}

func damaged(name string, err error) error {
	return invalid.List{{Field: "archive", Problem: fmt.Sprintf("%s cannot be read: %v", name, err),
		Remedy: "make it again, and carry it over whole"}}
}

// Names lists the files of an archive but its manifest, in their order.
func (r *Reader) Names() []string {
	var out []string
	for _, f := range r.zip.File {
		if f.Name != Manifest {
			out = append(out, f.Name)
		}
	}
	slices.Sort(out)
	return out
}

// File returns a file of an archive.
func (r *Reader) File(name string) ([]byte, error) {
	text, err := r.whole(name, math.MaxInt64)
	if err != nil {
		return nil, damaged(name, err)
	}
	return text, nil
}
