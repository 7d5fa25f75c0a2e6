package handover

import (
	"math"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"rsc.io/qr"

	"zerokeel/workshop"
)

// TestNumbers: what is written is what rounds to it, with a true minus sign, and nothing is less than nothing.
func TestNumbers(t *testing.T) {
	for _, x := range []float64{0, -0.04, 0.04, -0.06, 12.345, -1234.5, 99.999, 1e-9, -1e-9} {
		for _, places := range []int{0, 1, 3} {
			text := plain(x, places)
			back, err := strconv.ParseFloat(strings.Replace(text, "−", "-", 1), 64)
			if err != nil || math.Abs(back-x) > 0.5000001*math.Pow(10, -float64(places)) || strings.Contains(text, "-") ||
				strings.HasPrefix(text, "−") && back == 0 {
				t.Errorf("%g with %d decimals is written %q", x, places, text)
			}
		}
	}
	for _, row := range []struct {
		f    workshop.HandedFigure
		want string
	}{
		{workshop.HandedFigure{Unit: "W", Before: 167.5, After: 141.4, Half: 1.62}, "−26.1 ± 1.6"},
		{workshop.HandedFigure{Unit: "pt", Before: 7296, After: 7684.6, Half: math.Inf(1)}, "+389"},
		{workshop.HandedFigure{Unit: "K", Before: 8.31, After: 8.33, Half: 2}, "0.0 ± 2.0"},
		{workshop.HandedFigure{Unit: "K", Before: math.NaN(), After: 8.33}, ""},
	} {
		if got := change(&row.f); got != row.want {
			t.Errorf("%+v changes by %q, want %q", row.f, got, row.want)
		}
	}
	for s, want := range map[float64]string{45: "45 s", 600: "10 min", 7200: "2.0 h", 86400 * 30: "30 days"} {
		if got := span(s); got != want {
			t.Errorf("%g s are %q, want %q", s, got, want)
		}
	}
}

// TestCodeIsDrawnWhole: the drawing of a code has as many dark squares as the code, each where it lies.
func TestCodeIsDrawnWhole(t *testing.T) {
	code, err := qr.Encode("http://127.0.0.1:7350/rig/1/trim/96", qr.M)
	if err != nil {
		t.Fatal(err)
	}
	drawn := map[[2]int]bool{}
	for _, m := range regexp.MustCompile(`M(\d+) (\d+)h(\d+)v1h-(\d+)z`).FindAllStringSubmatch(svg(code), -1) {
		var n [4]int
		for i := range n {
			n[i], _ = strconv.Atoi(m[i+1])
		}
		for x := n[0]; x < n[0]+n[2]; x++ {
			drawn[[2]int{x, n[1]}] = true
		}
		if n[2] != n[3] {
			t.Errorf("a row does not close: %v", m[0])
		}
	}
	for y := range code.Size {
		for x := range code.Size {
			if code.Black(x, y) != drawn[[2]int{x, y}] {
				t.Fatalf("at %d, %d the code is dark: %t", x, y, code.Black(x, y))
			}
		}
	}
}
