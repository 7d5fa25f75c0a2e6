package columns

import (
	"math"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// dates are the ways to write a date; those that differ by the order of day and month stand side by side.
var dates = []string{"2006-1-2", "2006/1/2", "2006.1.2", "2.1.2006", "2/1/2006", "1/2/2006", "2-1-2006", "2.1.06", "2/1/06", "1/2/06",
	"20060102"}

// otherWay is the format with day and month in the other order.
var otherWay = map[string]string{"2/1/2006": "1/2/2006", "1/2/2006": "2/1/2006", "2/1/06": "1/2/06", "1/2/06": "2/1/06"}

// times are the ways to write a time of day; seconds may have a fraction.
var times = []string{"15:4:5", "15:4", "3:4:5 PM"}

var dateFormats, timeFormats, stampFormats = func() (d, t, s []string) {
	zones := []string{"", "Z07:00", " Z07:00", "-0700", " -0700"}
	for _, date := range dates {
		for _, sep := range []string{" ", "T", ", "} {
			for _, time := range times {
				for _, zone := range zones {
					s = append(s, date+sep+time+zone)
				}
			}
		}
	}
	return dates, times, s
}()

// formatOf returns the first format that all cells are written in, and whether another one, with day and month in the
// other order, would do as well.
func formatOf(cells []string, formats []string) (format string, eitherWay bool) {
	if len(cells) == 0 {
		return "", false
	}
	fits := func(format string) bool {
		for _, c := range cells {
			if _, err := time.Parse(format, c); err != nil {
				return false
			}
		}
		return true
	}
	for _, f := range formats {
		if !fits(f) {
			continue
		}
		for one, other := range otherWay {
			if strings.HasPrefix(f, one) {
				eitherWay = fits(other + strings.TrimPrefix(f, one))
				break
			}
		}
		return f, eitherWay
	}
	return "", false
}

var timeLike = regexp.MustCompile(`\d:\d\d|^\d{1,4}[-/.]\d{1,2}[-/.]\d{1,4}`)

func looksLikeTime(text string) bool { return timeLike.MatchString(text) }

var thousands = regexp.MustCompile(`^[-+]?\d{1,3}(,\d{3})+(\.\d*)?$`)

// gaps are what logs write where there is no figure.
var gaps = map[string]bool{"": true, "-": true, "--": true, "n/a": true, "na": true, "nan": true, "null": true, "none": true, "?": true}

// Number reads a cell. A gap is told apart from what is no number; a unit behind the number is passed over.
func (l *Layout) Number(text string) (x float64, gap, ok bool) {
	text = strings.TrimSpace(text)
	if gaps[strings.ToLower(text)] {
		return math.NaN(), true, true
	}
	if number, unit, found := strings.Cut(text, " "); found {
		if _, known := UnitOf(unit); !known {
			return 0, false, false
		}
		text = number
	}
	text = strings.TrimSuffix(text, "%")
	switch {
	case l.DecimalComma && strings.Count(text, ",") == 1 && !strings.Contains(text, "."):
		text = strings.Replace(text, ",", ".", 1)
	case !l.DecimalComma && thousands.MatchString(text):
		text = strings.ReplaceAll(text, ",", "")
	}
	x, err := strconv.ParseFloat(text, 64)
	if err != nil || math.IsInf(x, 0) || math.IsNaN(x) || strings.ContainsAny(text, "xX_pP") {
		return 0, false, false
	}
	return x, false, true
}

// Unit is a unit as the application writes it, and how figures in another one are brought to it.
type Unit struct {
	Name, Quantity string
	Scale, Shift   float64
}

var units = map[string]Unit{
	"°c": {"°C", "temperature", 1, 0}, "c": {"°C", "temperature", 1, 0}, "degc": {"°C", "temperature", 1, 0},
	"℃":  {"°C", "temperature", 1, 0},
	"°f": {"°C", "temperature", 5. / 9, -160. / 9}, "f": {"°C", "temperature", 5. / 9, -160. / 9}, "k": {"°C", "temperature", 1, -273.15},
	"v": {"V", "voltage", 1, 0}, "mv": {"V", "voltage", 0.001, 0}, "volt": {"V", "voltage", 1, 0}, "volts": {"V", "voltage", 1, 0},
	"w": {"W", "power", 1, 0}, "mw": {"W", "power", 0.001, 0}, "kw": {"W", "power", 1000, 0}, "watt": {"W", "power", 1, 0},
	"watts": {"W", "power", 1, 0},
	"a":     {"A", "current", 1, 0}, "ma": {"A", "current", 0.001, 0},
	"mhz": {"MHz", "clock", 1, 0}, "ghz": {"MHz", "clock", 1000, 0}, "hz": {"MHz", "clock", 1e-6, 0},
	"rpm": {"RPM", "fan", 1, 0}, "min-1": {"RPM", "fan", 1, 0}, "1/min": {"RPM", "fan", 1, 0},
	"%": {"%", "load", 1, 0}, "mb": {"MB", "memory", 1, 0}, "gb": {"MB", "memory", 1024, 0},
	"l/h": {"l/h", "flow", 1, 0}, "j": {"J", "energy", 1, 0}, "wh": {"J", "energy", 3600, 0},
	"s": {"s", "time", 1, 0}, "sec": {"s", "time", 1, 0}, "ms": {"s", "time", 0.001, 0}, "fps": {"1/s", "rate", 1, 0},
}

// UnitOf returns what a unit's name stands for. The case of letters is passed over, but for M and m before a watt or volt:
// MW and MV are none that a desktop machine needs.
func UnitOf(name string) (Unit, bool) {
	u, ok := units[strings.ToLower(strings.TrimSpace(name))]
	return u, ok
}
