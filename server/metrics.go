package server

import (
	"fmt"
	"net/http"
	"strings"

	"zerokeel/core/channel"

	"github.com/labstack/echo/v5"
	dto "github.com/prometheus/client_model/go"
	"github.com/prometheus/common/expfmt"
)

// metrics serves the newest figures of every linked rig as OpenMetrics: a family for each quantity and unit.
func (s *Server) metrics(c *echo.Context) error {
	rigs, err := s.store.Rigs(c.Request().Context())
	if err != nil {
		return err
	}
	families := map[string]*dto.MetricFamily{}
	var names []string
	for _, r := range rigs {
		if !s.runner.Hub().Status(r.ID).Linked {
			continue
		}
		newest := s.vitals.all(r.ID)
		for _, ch := range r.Channels.V {
			value, known := newest[ch.Key]
			if !known {
				continue
			}
			name := metricName(ch)
			family := families[name]
			if family == nil {
				family = &dto.MetricFamily{Name: &name, Help: ptr(strings.TrimSpace(ch.Quantity + " " + ch.Unit)), Type: dto.MetricType_GAUGE.Enum()}
				families[name], names = family, append(names, name)
			}
			labels := []*dto.LabelPair{{Name: ptr("rig"), Value: &r.Name}, {Name: ptr("channel"), Value: ptr(ch.Key)}, {Name: ptr("simulated"), Value: ptr(fmt.Sprint(r.Simulated))}}
			family.Metric = append(family.Metric, &dto.Metric{Label: labels, Gauge: &dto.Gauge{Value: &value}})
		}
	}
	c.Response().Header().Set("Content-Type", string(expfmt.NewFormat(expfmt.TypeOpenMetrics)))
	c.Response().WriteHeader(http.StatusOK)
	for _, name := range names {
		if _, err := expfmt.MetricFamilyToOpenMetrics(c.Response(), families[name]); err != nil {
			return err
		}
	}
	_, err = expfmt.FinalizeOpenMetrics(c.Response())
	return err
}

func ptr[T any](v T) *T { return &v }

// units are how units are spelled in names.
var units = map[string]string{"°C": "celsius", "W": "watts", "V": "volts", "A": "amperes", "MHz": "megahertz", "rpm": "rpm", "%": "percent", "Gop/s": "gigaoperations_per_second", "K": "kelvins"}

// metricName is the name of a channel's family, such as zerokeel_temperature_celsius.
func metricName(ch channel.Channel) string {
	name := "zerokeel_" + letters(ch.Quantity)
	if ch.Unit == "" {
		return name
	}
	if unit, known := units[ch.Unit]; known {
		return name + "_" + unit
	}
	return name + "_" + letters(ch.Unit)
}

// letters keeps what a name may hold.
func letters(text string) string {
	return strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' {
			return r
		}
		return '_'
	}, strings.ToLower(text))
}
