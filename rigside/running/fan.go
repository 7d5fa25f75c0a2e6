package running

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"zerokeel/core/part"
)

// fullDuty is the kernel's figure for a duty of 100 %.
const fullDuty = 255.0

// findFan offers the curve by which a fan header drives its fan by itself: that of the first header which has one.
func (s *System) findFan() {
	first := s.list("sys/class/hwmon/hwmon*/pwm*_auto_point1_temp")
	if len(first) == 0 {
		return
	}
	stem := strings.TrimSuffix(first[0], "1_temp")
	var heat, duty []*attribute
	for n := 1; s.has(fmt.Sprintf("%s%d_temp", stem, n)) && s.has(fmt.Sprintf("%s%d_pwm", stem, n)); n++ {
		heat = append(heat, s.scaled(fmt.Sprintf("fan.%d.temperature", n), fmt.Sprintf("%s%d_temp", stem, n), 1, between(0, 120, "°C")))
		file := fmt.Sprintf("%s%d_pwm", stem, n)
		duty = append(duty, &attribute{name: fmt.Sprintf("fan.%d.duty", n), phase: plain, check: between(0, 100, "%"),
			get: func() (any, bool) {
				x, ok := s.whole(file)
				return int(math.Round(100 * float64(x) / fullDuty)), ok
			},
			set: func(v any) error { return s.write(file, strconv.Itoa(int(math.Round(float64(v.(int))*fullDuty/100)))) }})
	}
	entry := part.BoardSetting{Menu: menu("Fan"), Step: 1}
	at := entry
	at.Setting, at.Attribute, at.Label, at.Max = "fan.point.*.temperature", "fan.{n}.temperature", "Point {n}, temperature", 120
	s.offer(at, heat...)
	at = entry
	at.Setting, at.Attribute, at.Label, at.Max = "fan.point.*.duty", "fan.{n}.duty", "Point {n}, duty", 100
	s.offer(at, duty...)
}
