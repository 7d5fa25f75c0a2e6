package server

import (
	"fmt"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"
	dto "github.com/prometheus/client_model/go"
	"github.com/prometheus/common/expfmt"

	"zerokeel/core/channel"
	"zerokeel/workshop"
)

// metrics serves the newest figures of every rig that is linked to this process as OpenMetrics: a family for each quantity
// and unit. Of a categorical channel there is a figure for each category, 1 for the one that holds.
func (s *Server) metrics(c *echo.Context) error {
	rigs, err := s.shop.Newest(c.Request().Context())
	if err != nil {
		return err
	}
	f := families{by: map[string]*dto.MetricFamily{}}
	for i := range rigs {
		for _, ch := range rigs[i].Channels {
			if value, known := rigs[i].Values[ch.Key]; known {
				f.add(&rigs[i], ch, value)
			}
		}
	}
	c.Response().Header().Set("Content-Type", string(expfmt.NewFormat(expfmt.TypeOpenMetrics)))
	c.Response().WriteHeader(http.StatusOK)
	for _, name := range f.names {
		if _, err := expfmt.MetricFamilyToOpenMetrics(c.Response(), f.by[name]); err != nil {
			return err
		}
	}
	_, err = expfmt.FinalizeOpenMetrics(c.Response())
	return err
}

// families gathers figures by the name of their family, in the order in which the names come up.
type families struct {
	names []string
	by    map[string]*dto.MetricFamily
}

func (f *families) add(rig *workshop.Newest, ch channel.Channel, value float64) {
	name := metricName(ch)
	family := f.by[name]
	if family == nil {
		family = &dto.MetricFamily{Name: &name, Help: ptr(strings.TrimSpace(ch.Quantity + " " + ch.Unit)), Type: dto.MetricType_GAUGE.Enum()}
		f.by[name], f.names = family, append(f.names, name)
	}
	labels := []*dto.LabelPair{{Name: ptr("rig"), Value: &rig.Name}, {Name: ptr("channel"), Value: ptr(ch.Key)},
		{Name: ptr("simulated"), Value: ptr(fmt.Sprint(rig.Simulated))}}
	names := ch.Categories()
	if names == nil {
		family.Metric = append(family.Metric, &dto.Metric{Label: labels, Gauge: &dto.Gauge{Value: &value}})
	}
	for i, category := range names {
		holds := 0.0
		if float64(i) == value {
			holds = 1
		}
		own := append(labels[:len(labels):len(labels)], &dto.LabelPair{Name: ptr("category"), Value: ptr(category)})
		family.Metric = append(family.Metric, &dto.Metric{Label: own, Gauge: &dto.Gauge{Value: &holds}})
	}
}

func ptr[T any](v T) *T { return &v }

// units are how units are spelled in names.
var units = map[string]string{"°C": "celsius", "W": "watts", "V": "volts", "A": "amperes", "MHz": "megahertz", "rpm": "rpm",
	"%":     "percent",
	"Gop/s": "gigaoperations_per_second", "K": "kelvins"}

// metricName is the name of a channel's family, such as zerokeel_temperature_celsius.
func metricName(ch channel.Channel) string {
	name := "zerokeel_" + channel.Plain(ch.Quantity)
	if ch.Unit == "" {
		return name
	}
	if unit, known := units[ch.Unit]; known {
		return name + "_" + unit
	}
	return name + "_" + channel.Plain(ch.Unit)
}
