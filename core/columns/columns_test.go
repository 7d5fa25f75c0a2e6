package columns_test

import (
	"errors"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"zerokeel/core/columns"
)

func TestDetect(t *testing.T) {
	rows := []struct {
		name, text string
		want       string // delimiter, decimal comma, head, clock, time and date column, format, first data line
		columns    string
		at         string // of the first line of data
	}{
		{"plain", "time,CPU [°C],Fan (RPM)\n2026-03-01 10:00:00,45.5,900\n2026-03-01 10:00:01,46,910\n",
			", false 1 stamp 0 -1 2006-1-2 15:4:5 2", "time|CPU °C|Fan RPM", "2026-03-01T10:00:00Z"},
		{"decimal comma, two columns of time",
			"Datum;Zeit;Leistung [W];Spannung [mV]\n13.02.2026;08:05:09,25;101,5;1205,1\n13.02.2026;08:05:10,25;99,25;1204,9\n",
			"; true 1 stamp 1 0 2.1.2006 15:4:5 2", "Datum|Zeit|Leistung W|Spannung mV", "2026-02-13T08:05:09.25Z"},
		{"lines above, a line of units, tabs",
			"Log of a meter\nserial 4711\n\nt\tU\tP\ns\tV\tW\n0\t230.1\t55\n0.5\t230.2\t56\n1\t230.0\t57\n1.5\t229\t58\n2\t229\t58\n2.5\t229\t58\n3\t229\t58\n", "\t false 4 elapsed 0 -1  6", "t s|U V|P W", "1970-01-01T00:00:00Z"},
		{"months first", "stamp|a\n02/28/2026 1:02:03 PM|1\n03/01/2026 1:02:04 PM|2\n", "| false 1 stamp 0 -1 1/2/2006 3:4:5 PM 2", "stamp|a",
			"2026-02-28T13:02:03Z"},
		{"seconds since 1970", "epoch,w\n1767225600,50\n1767225601,51\n", ", false 1 unix 0 -1  2", "epoch|w", "2026-01-01T00:00:00Z"},
		{"ms since 1970", "timestamp_ms,w\n1767225600250,50\n1767225601250,51\n", ", false 1 unix-ms 0 -1  2", "timestamp ms|w",
			"2026-01-01T00:00:00.25Z"},
		{"with a zone", "when,w\n2026-01-01T01:00:00.5+01:00,50\n2026-01-01T01:00:01.5+01:00,51\n",
			", false 1 stamp 0 -1 2006-1-2T15:4:5Z07:00 2", "when|w", "2026-01-01T00:00:00.5Z"},
		{"time of day only", "uhr;w\n23:59:59;1\n00:00:00;2\n", "; false 1 stamp 0 -1 15:4:5 2", "uhr|w", "0000-01-01T23:59:59Z"},
		{"no heading", "1,2\n2,3\n3,4\n", ", false 0 elapsed 0 -1  1", "column A|column B", "1970-01-01T00:00:01Z"},
		{"byte order mark, quotes, old encoding",
			"\xef\xbb\xbf\"time\",\"T, package (\xb0C)\"\r\n\"2026-03-01 10:00:00\",\"45.5\"\r\n\"2026-03-01 10:00:01\",\"46.5\"\r\n",
			", false 1 stamp 0 -1 2006-1-2 15:4:5 2", "time|T, package °C", "2026-03-01T10:00:00Z"},
		{"text beside numbers", "time,state,w\n2026-03-01 10:00:00,idle,5\n2026-03-01 10:00:01,busy,6\n",
			", false 1 stamp 0 -1 2006-1-2 15:4:5 2", "time|state|w", "2026-03-01T10:00:00Z"},
	}
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			text := row.text
			if strings.Contains(row.name, "old encoding") {
				text = strings.TrimPrefix(text, "\xef\xbb\xbf")
			}
			l, err := columns.Detect([]byte(text))
			if err != nil {
				t.Fatal(err)
			}
			got := fmt.Sprintf("%s %v %d %s %d %d %s %d", l.Delimiter, l.DecimalComma, l.HeadLine, l.Clock, l.TimeColumn, l.DateColumn, l.Format,
				l.DataLine)
			var names []string
			for _, c := range l.Columns {
				names = append(names, strings.TrimSpace(c.Name+" "+c.Unit))
			}
			if got != row.want || strings.Join(names, "|") != row.columns {
				t.Errorf("got  %q %q\nwant %q %q", got, names, row.want, row.columns)
			}
			r := columns.NewReader(strings.NewReader(text), l)
			first, err := r.Next()
			if err != nil {
				t.Fatal(err)
			}
			at, _, err := l.At(first.Cells)
			if err != nil || at.UTC().Format("2006-01-02T15:04:05.999Z07:00") != row.at {
				t.Errorf("the first line is of %v (%v), want %s", at.UTC(), err, row.at)
			}
		})
	}
	for name, text := range map[string]string{"nothing": "", "prose": "a story\nof two lines\n", "words only": "a,b\nc,d\n",
		"UTF-16": "\xff\xfea\x00"} {
		if l, err := columns.Detect([]byte(text)); err == nil {
			t.Errorf("%s is taken for a table: %+v", name, l)
		}
	}
	if l, err := columns.Detect([]byte("t,a\n01/02/2026 10:00:00,1\n")); err != nil || !l.EitherWay {
		t.Errorf("day and month cannot be told apart here: %+v, %v", l, err)
	}
}

// TestBrokenLinesAreToldByNumber: what cannot be read is passed over and named, and the lines around it are not lost.
func TestBrokenLinesAreToldByNumber(t *testing.T) {
	text := "time,w\n2026-03-01 10:00:00,1\nbroken\n2026-03-01 10:00:01,2\n\"open,3" +
		"\n2026-03-01 10:00:02;4\n\n2026-03-01 10:00:03,5,6\n" + strings.Repeat("x", 1<<21) + "\n2026-03-01 10:00:04,7\n2026-03-01 10:00:05,8"
	l, err := columns.Detect([]byte("time,w\n2026-03-01 10:00:00,1\n"))
	if err != nil {
		t.Fatal(err)
	}
	r := columns.NewReader(strings.NewReader(text), l)
	var lines, broken []int
	for {
		row, err := r.Next()
		var wrong *columns.LineError
		if errors.Is(err, io.EOF) {
			break
		} else if errors.As(err, &wrong) {
			broken = append(broken, wrong.Line)
			continue
		} else if err != nil {
			t.Fatal(err)
		}
		lines = append(lines, row.Line)
	}
	if !slices.Equal(lines, []int{2, 4, 10, 11}) || !slices.Equal(broken, []int{3, 5, 6, 8, 9}) {
		t.Errorf("lines %v, broken %v", lines, broken)
	}
}

// TestNumbersComeBack: what was written in any of the usual ways is read as it was.
func TestNumbersComeBack(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	point, comma := &columns.Layout{}, &columns.Layout{DecimalComma: true}
	for range 500 {
		x := math.Round((r.Float64()-0.5)*2e6) / 1000
		text := strconv.FormatFloat(x, 'f', 3, 64)
		for _, row := range []struct {
			l    *columns.Layout
			text string
		}{{point, text}, {comma, strings.Replace(text, ".", ",", 1)}, {point, " " + text + " W "}, {comma, strconv.FormatFloat(x, 'e', -1, 64)}} {
			if got, gap, ok := row.l.Number(row.text); !ok || gap || math.Abs(got-x) > 1e-9 {
				t.Fatalf("%q is read as %v, %v, %v", row.text, got, gap, ok)
			}
		}
	}
	if got, _, ok := point.Number("1,234,567.5"); !ok || got != 1234567.5 {
		t.Errorf("thousands: %v, %v", got, ok)
	}
	for _, text := range []string{"", "-", "N/A", "NaN"} {
		if _, gap, ok := point.Number(text); !gap || !ok {
			t.Errorf("%q is no gap", text)
		}
	}
	for _, text := range []string{"abc", "1.2.3", "0x10", "Inf", "1 parsec", "1,5"} {
		if x, _, ok := point.Number(text); ok {
			t.Errorf("%q is read as %g", text, x)
		}
	}
	for unit, want := range map[string]float64{"mV": 0.1, "°F": (100 - 32) * 5. / 9, "GHz": 100000, "K": 100 - 273.15} {
		u, ok := columns.UnitOf(unit)
		if got := 100*u.Scale + u.Shift; !ok || math.Abs(got-want) > 1e-9 {
			t.Errorf("100 %s are %g %s, want %g", unit, got, u.Name, want)
		}
	}
}

func FuzzDetect(f *testing.F) {
	f.Add([]byte("time,CPU [°C]\n2026-03-01 10:00:00,45.5\n2026-03-01 10:00:01,46\n"))
	f.Add([]byte("a;b;c\n1,5;2,5;\"3\n\xff\xfe;1;2"))
	f.Add([]byte("t\tU\n0\t1\n1\t2\n"))
	f.Fuzz(func(t *testing.T, text []byte) {
		l, err := columns.Detect(text)
		if err != nil {
			return
		}
		r := columns.NewReader(strings.NewReader(string(text)), l)
		last := 0
		for {
			row, err := r.Next()
			if errors.Is(err, io.EOF) {
				break
			}
			if err != nil {
				continue
			}
			if row.Line <= last || len(row.Cells) != len(l.Columns) {
				t.Fatalf("line %d after %d, with %d cells of %d", row.Line, last, len(row.Cells), len(l.Columns))
			}
			last = row.Line
			at, relative, err := l.At(row.Cells)
			if err == nil && !relative && at.IsZero() && at != (time.Time{}) {
				t.Fatal("a time that is none")
			}
		}
	})
}

// TestColumnsBecomeChannels: by their names and units, each one of its own, unless the rig tells it itself.
func TestColumnsBecomeChannels(t *testing.T) {
	l, err := columns.Detect([]byte("time,Outlet [W],Mains [W],Room (°C),Room (°C),Loop water [%],Note\n2026-03-01 10:00:00,1,2,3,4,5,x\n2026-03-01 10:00:01,1,2,3,4,5,y\n"))
	if err != nil {
		t.Fatal(err)
	}
	keys := func(told ...string) (out []string) {
		for _, target := range l.Propose(func(key string) bool { return slices.Contains(told, key) }) {
			out = append(out, target.Channel)
		}
		return out
	}
	if got, want := keys(), []string{"", "power.wall", "log.mains", "temperature.ambient", "log.room-2", "log.loop-water",
		""}; !slices.Equal(got, want) {
		t.Errorf("got %q, want %q", got, want)
	}
	if got := keys("power.wall", "temperature.ambient"); got[1] != "log.outlet" || got[3] != "log.room" {
		t.Errorf("of a rig that tells both: %q", got)
	}
	proposed := l.Propose(func(string) bool { return false })
	if f := l.CheckMapping(proposed); len(f) > 0 {
		t.Errorf("what was proposed is refused: %v", f)
	}
	rows := []struct {
		name, field string
		change      func([]columns.Target) []columns.Target
	}{
		{"a column too few", "columns", func(m []columns.Target) []columns.Target { return m[1:] }},
		{"two on one channel", "columns[2].channel", func(m []columns.Target) []columns.Target { m[2].Channel = m[1].Channel; return m }},
		{"the time as a figure", "columns[0].channel", func(m []columns.Target) []columns.Target { m[0].Channel = "log.time"; return m }},
		{"words as a figure", "columns[6].channel", func(m []columns.Target) []columns.Target { m[6].Channel = "log.note"; return m }},
		{"percent as watts", "columns[5].channel", func(m []columns.Target) []columns.Target {
			m[1].Channel, m[5].Channel = "", "power.wall"
			return m
		}},
		{"a channel of the rig's", "columns[1].channel", func(m []columns.Target) []columns.Target { m[1].Channel = "power.package"; return m }},
		{"nothing at all", "columns", func(m []columns.Target) []columns.Target {
			for i := range m {
				m[i].Channel = ""
			}
			return m
		}},
	}
	for _, row := range rows {
		f := l.CheckMapping(row.change(slices.Clone(proposed)))
		if len(f) != 1 || f[0].Field != row.field {
			t.Errorf("%s: %v, want one fault of %s", row.name, f, row.field)
		}
	}
	other, _ := columns.Detect([]byte("time,Outlet [kW]\n2026-03-01 10:00:00,1\n"))
	if l.Source() == other.Source() || len(l.Source()) != 20 {
		t.Errorf("sources %s and %s", l.Source(), other.Source())
	}
}
