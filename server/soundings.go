package server

import (
	"cmp"
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// GetSoundings answers with how deep each core of a rig goes.
func (s *Server) GetSoundings(c *echo.Context, id int64, params api.GetSoundingsParams) error {
	in := workshop.Look{What: what(params.What)}
	if params.Trim != nil {
		in.Trim = *params.Trim
	}
	if params.Risk != nil {
		in.Risk24h = *params.Risk
	}
	if params.Keel != nil {
		in.Keel = *params.Keel
	}
	x, err := s.shop.Soundings(c.Request().Context(), id, in)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, apiSoundings(x))
}

// depthsName is what looking for depths is called outside.
const depthsName = "depths"

func what(name *string) workshop.What {
	if x := given(name, depthsName); x != depthsName {
		return workshop.What(x)
	}
	return ""
}

func apiWhat(x workshop.What) string { return cmp.Or(string(x), depthsName) }

// ListSurveyable answers with what a survey of a rig can look for.
func (s *Server) ListSurveyable(c *echo.Context, id int64, params api.ListSurveyableParams) error {
	list, err := s.shop.Surveyable(c.Request().Context(), id, given(params.Trim, 0))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, func(x *workshop.Surveyable) api.Surveyable {
		return api.Surveyable{What: apiWhat(x.What), Name: x.What.Name(), Why: x.Why}
	}))
}

func apiSoundings(x *workshop.Soundings) api.Soundings {
	out := api.Soundings{None: x.None, Allowed: x.Risk24h, Cores: []api.SoundedCore{}, Points: []api.Sounding{}, Rings: []api.UnnamedFault{},
		Holders: []int{}, Forecasts: []api.DepthForecast{}, Changes: api.Settings{}, FoundChanges: api.Settings{}}
	a := x.Axis
	if x.Trim != nil {
		out.Trim = id(x.Trim.ID)
	}
	if a == nil {
		return out
	}
	out.What, out.Thing = apiWhat(a.What), a.Thing()
	out.Name, out.Unit, out.StepMV, out.Zero, out.Per, out.Each = a.Name, a.Unit, 1000*a.StepV, a.Zero, a.Per, string(a.Each)
	out.Deepest, out.Shallowest = x.Deepest, x.Deepest+len(x.Chances[0])-1
	out.Left, out.Fleet = x.Left, x.Fleet
	out.Breaks, out.Over, out.Holders = x.Breaks, x.Over, nonNil(x.Holders)
	out.Changes, out.FoundChanges = a.Changes(x.Keel), a.Changes(x.Found)
	at, found := apiDailyRisk(&x.At), apiDailyRisk(&x.AtFound)
	out.At, out.Found = &at, &found
	out.Slope = &api.FaultSlope{By: 1000 * x.Slope.V, Low: 1000 * x.Slope.Low, High: 1000 * x.Slope.High,
		Words: fmt.Sprintf("twice the faults per %.1f mV", 1000*x.Slope.V)}
	if a.Thing() != "" {
		out.Slope = &api.FaultSlope{By: x.Slope.V, Low: x.Slope.Low, High: x.Slope.High,
			Words: fmt.Sprintf("twice the faults per %.2g %s", x.Slope.V, a.Unit)}
	}
	for i, core := range a.Cores {
		name := a.Thing()
		if name == "" {
			name = x.Processor.Clusters[x.Processor.ClusterOf(core)].Name
		}
		one := api.SoundedCore{Core: core, Cluster: name, Key: a.Keys[i], Own: x.Own[i],
			Keel: x.Keel[i], Found: x.Found[i], Risk: x.At.Cores[i].Risk24h, Clearance: x.At.Cores[i].Clearance,
			FoundClearance: x.AtFound.Cores[i].Clearance,
			Chances:        x.Chances[i], Limits: []api.CoreLimit{}}
		for _, l := range x.Limits {
			if l.Core == i {
				one.Limits = append(one.Limits, api.CoreLimit{Regime: string(l.Regime), Mean: l.Mean, Sd: l.SD})
			}
		}
		out.Cores = append(out.Cores, one)
	}
	for i := range x.Points {
		p := &x.Points[i]
		out.Points = append(out.Points, api.Sounding{Core: a.Cores[p.Core], Regime: string(p.Regime), Depth: p.Depth, Minutes: p.Minutes,
			Faults: p.Faults, Trial: id(p.Trial), Trims: p.By})
		if s := &out.Cores[p.Core].Sounded; *s == nil || p.Depth < **s {
			*s = &p.Depth
		}
	}
	for i := range x.Rings {
		out.Rings = append(out.Rings, apiUnnamedFault(&x.Rings[i], a.Cores))
	}
	for _, f := range x.Forecasts {
		out.Forecasts = append(out.Forecasts, api.DepthForecast{Of: api.DepthForecastOf(f.Of), Watts: finite(f.Watts),
			Degrees: finite(f.Degrees), Score: finite(f.Score)})
	}
	if x.Plane != nil {
		out.Plane = apiPlane(x.Plane)
	}
	return out
}

func apiPlane(p *workshop.Plane) *api.ClockPlane {
	out := &api.ClockPlane{Mhz: p.MHz, Clocks: p.Clocks, Delivered: p.Delivered, Volts: p.Volts, MostV: p.MostV, Chances: p.Chances,
		Tried: []api.TriedAt{}}
	for row := range p.Volts {
		watts, degrees := make([]*float64, len(p.Clocks)), make([]*float64, len(p.Clocks))
		for i := range p.Clocks {
			watts[i], degrees[i] = finite(p.Watts[row][i]), finite(p.Degrees[row][i])
		}
		out.Watts, out.Degrees = append(out.Watts, watts), append(out.Degrees, degrees)
	}
	for _, one := range p.Tried {
		out.Tried = append(out.Tried, api.TriedAt{Mhz: one.MHz, Volts: one.Volts, Minutes: one.Minutes, Verdict: string(one.Verdict),
			Trial: id(one.Trial), Trim: one.Trim})
	}
	return out
}

func apiDailyRisk(a *workshop.Assessment) api.DailyRisk {
	return api.DailyRisk{Risk: a.Risk24h, Low: a.Low, High: a.High, Known: a.Known(), Words: a.InWords()}
}

func apiUnnamedFault(r *workshop.Ring, cores []int) api.UnnamedFault {
	out := api.UnnamedFault{Trial: id(r.Trial), Trim: r.Trim, Load: string(r.Load), Cores: []int{}, Depths: r.Depths, Minutes: r.Minutes,
		Verdict: string(r.Verdict), Words: r.Words()}
	for _, core := range r.Cores {
		out.Cores = append(out.Cores, cores[core])
	}
	return out
}
