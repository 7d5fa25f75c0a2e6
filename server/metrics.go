package server

import (
	"errors"
	"fmt"
	"net/http"
	"strings"
	"sync/atomic"

	"github.com/labstack/echo/v5"
	dto "github.com/prometheus/client_model/go"
	"github.com/prometheus/common/expfmt"

	"zerokeel/core/channel"
	"zerokeel/workshop"
)

// metrics serves, as OpenMetrics, the newest figures of every rig that is linked to this process, a family for each quantity
// and unit, and how the process itself does. Of a categorical channel there is a figure for each category, 1 for the one that holds.
func (s *Server) metrics(c *echo.Context) error {
	rigs, err := s.shop.Newest(c.Request().Context())
	if err != nil && !errors.Is(err, workshop.ErrAway) {
		return err // without the database the process still tells of itself
	}
	f := families{by: map[string]*dto.MetricFamily{}}
	for i := range rigs {
		for _, ch := range rigs[i].Channels {
			if value, known := rigs[i].Values[ch.Key]; known {
				f.add(&rigs[i], ch, value)
			}
		}
	}
	own, err := s.shop.OwnFigures(c.Request().Context())
	if err != nil {
		return err
	}
	f.addOwn(&own, &s.answers)
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

// answers counts what was answered, by the class of its status: 2 is what was done, 5 what failed.
type answers [6]atomic.Int64

// counted counts answers.
func (s *Server) counted(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		err := next(c)
		status := http.StatusOK
		if err != nil {
			status = problemOf(err).Status
		}
		s.answers[min(max(status/100, 0), len(s.answers)-1)].Add(1)
		return err
	}
}

// addOwn adds how this process itself does.
func (f *families) addOwn(own *workshop.OwnFigures, answered *answers) {
	gauge := func(name, help string, value float64) {
		f.names = append(f.names, name)
		f.by[name] = &dto.MetricFamily{Name: &name, Help: &help, Type: dto.MetricType_GAUGE.Enum(),
			Metric: []*dto.Metric{{Gauge: &dto.Gauge{Value: &value}}}}
	}
	counter := func(name, help string, values ...*dto.Metric) {
		f.names = append(f.names, name)
		f.by[name] = &dto.MetricFamily{Name: &name, Help: &help, Type: dto.MetricType_COUNTER.Enum(), Metric: values}
	}
	count := func(n int64, labels ...*dto.LabelPair) *dto.Metric {
		return &dto.Metric{Label: labels, Counter: &dto.Counter{Value: ptr(float64(n))}}
	}
	there := 0.0
	if own.Database {
		there = 1
	}
	gauge("zerokeel_server_database_there", "1 while the database answers", there)
	gauge("zerokeel_server_links", "rigs linked to this process", float64(own.Links))
	gauge("zerokeel_server_leases", "rigs that this process steps", float64(own.Leases))
	counter("zerokeel_server_frames_total", "frames of rigs that were stored", count(own.Frames))
	counter("zerokeel_server_frames_refused_total", "frames that were not stored, and are sent again", count(own.FramesRefused))
	counter("zerokeel_server_steps_failed_total", "steps of fittings and trials that failed, and are tried again", count(own.StepsFailed))
	var classes []*dto.Metric
	for class := 2; class < len(answered); class++ {
		classes = append(classes, count(answered[class].Load(), &dto.LabelPair{Name: ptr("status"), Value: ptr(fmt.Sprint(class, "xx"))}))
	}
	counter("zerokeel_server_answers_total", "answers to requests, by their status", classes...)
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
