package server

import (
	"math"
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// ListHeaders answers with what is known of a rig's headers.
func (s *Server) ListHeaders(c *echo.Context, rig int64) error {
	list, err := s.shop.Headers(c.Request().Context(), rig)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, apiHeader))
}

// ChangeFan says what hangs on a header.
func (s *Server) ChangeFan(c *echo.Context, rig int64) error {
	in, err := body[api.FanChange](c)
	if err != nil {
		return err
	}
	var to workshop.FanChange
	if in.Role != nil {
		to.Role = (*workshop.FanRole)(in.Role)
	}
	if x := in.Entered; x != nil {
		to.Entered = &workshop.FanOf{StallDuty: x.StallDuty, StartDuty: x.StartDuty, MinRPM: x.MinRPM, MaxRPM: x.MaxRPM, MaxNoise: x.MaxNoise}
		for _, at := range x.Speeds {
			to.Entered.Speeds = append(to.Entered.Speeds, workshop.DutySpeed{Duty: at.Duty, RPM: at.Rpm})
		}
	}
	list, err := s.shop.ChangeFan(c.Request().Context(), rig, in.Header, to)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, apiHeader))
}

// SweepHeader begins a trial that learns what hangs on a header.
func (s *Server) SweepHeader(c *echo.Context, rig int64) error {
	in, err := body[api.SweepHeaderJSONBody](c)
	if err != nil {
		return err
	}
	t, err := s.shop.SweepHeader(c.Request().Context(), rig, in.Header, deref(in.Pump))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, apiTrial(t))
}

// GetCooling answers with how a rig is cooled, and how it could be.
func (s *Server) GetCooling(c *echo.Context, rig int64, params api.GetCoolingParams) error {
	x, err := s.shop.Cooling(c.Request().Context(), rig, coolingAsk(params))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, apiCooling(x))
}

// DrawCurve answers with what would come of a fan curve.
func (s *Server) DrawCurve(c *echo.Context, rig int64, params api.DrawCurveParams) error {
	in, err := body[api.DrawnCurve](c)
	if err != nil {
		return err
	}
	d := workshop.Drawn{ResponseS: in.ResponseS, SmoothingS: in.SmoothingS, Pump: in.Pump}
	for _, p := range in.Curve {
		d.Curve = append(d.Curve, workshop.CurvePoint{C: p.C, Duty: p.Duty})
	}
	ask := coolingAsk(api.GetCoolingParams(params))
	view, err := s.shop.DrawCurve(c.Request().Context(), rig, ask, d)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, apiCurveView(view))
}

func coolingAsk(p api.GetCoolingParams) workshop.CoolingAsk {
	ask := workshop.CoolingAsk{Trim: deref(p.Trim), Stands: deref(p.Stands), Ceilings: map[workshop.LoadKind]float64{}}
	for kind, c := range map[workshop.LoadKind]*float64{"idle": p.Idle, "light": p.Light, "mixed": p.Mixed, "heavy": p.Heavy} {
		if c != nil {
			ask.Ceilings[kind] = *c
		}
	}
	return ask
}

func apiHeader(h *workshop.Header) api.FanHeader {
	out := api.FanHeader{Key: h.Key, Label: h.Label, Duty: h.Duty, Can: h.Can, Role: string(h.Role), Problem: h.Problem, Trial: h.Trial}
	if !h.At.IsZero() {
		out.At = &h.At
	}
	if l := h.Learnt; l != nil {
		out.Learnt = &api.FanLearnt{Answers: texts(l.Answers), Still: texts(l.Still), Stops: l.Stops, Stall: l.Stall, Start: l.Start,
			Speeds: []api.DutySpeed{}, Sd: l.SD, Pump: l.Pump, Unsteady: l.Unsteady}
		for _, at := range l.Speeds {
			out.Learnt.Speeds = append(out.Learnt.Speeds, api.DutySpeed{Duty: at.Duty, Rpm: at.RPM})
		}
	}
	return out
}

func apiCooling(x *workshop.Cooling) api.Cooling {
	b := &x.Board
	out := api.Cooling{Trim: x.Trim.ID, Number: x.Trim.Number, Headers: each(x.Headers, apiHeader), Known: string(x.Known), Liquid: x.Liquid,
		Fan: api.FanOf{StallDuty: x.Fan.StallDuty, StartDuty: x.Fan.Starts(), MinRPM: x.Fan.MinRPM, MaxRPM: x.Fan.MaxRPM,
			MaxNoise: x.Fan.MaxNoise, Speeds: []api.DutySpeed{}},
		Points: b.Points, CMin: b.C.Min, CMax: b.C.Max, CStep: b.C.Step, DutyMin: b.Duty.Min, DutyMax: b.Duty.Max, DutyStep: b.Duty.Step,
		MaxResponseS: x.MaxResponseS, MaxSmoothingS: x.MaxSmoothingS, Source: x.Source, FullC: x.FullC,
		Today: apiCurveView(&x.Today), None: x.None,
		Pumps: each(x.Pumps, apiPump), Seen: each(x.Seen, apiSeen), SeenAll: x.SeenAll}
	for _, at := range x.Fan.Speeds {
		out.Fan.Speeds = append(out.Fan.Speeds, api.DutySpeed{Duty: at.Duty, Rpm: at.RPM})
	}
	if x.Proposed != nil {
		proposed := apiCurveView(x.Proposed)
		out.Proposed = &proposed
	}
	if r := x.Recorded; r != nil {
		out.Recorded = &api.RecordedHeat{Trial: r.Trial, Number: r.Number, At: []float64{}, C: []float64{}}
		list := r.Samples[r.Channel]
		for i := range thin(len(list)) {
			s := list[i]
			out.Recorded.At = append(out.Recorded.At, float64(s.T-list[0].T)/1000)
			out.Recorded.C = append(out.Recorded.C, s.V)
		}
	}
	return out
}

// mostDrawn is how many moments of a recorded hour are sent: as many as a page is wide.
const mostDrawn = 720

// thin goes through the indices of a list, evenly so that no more than mostDrawn are left.
func thin(n int) func(yield func(int) bool) {
	return func(yield func(int) bool) {
		step := max(1, int(math.Ceil(float64(n)/mostDrawn)))
		for i := 0; i < n; i += step {
			if !yield(i) {
				return
			}
		}
	}
}

func apiCurveView(v *workshop.CurveView) api.CurveView {
	out := api.CurveView{Curve: []api.CurvePoint{}, ResponseS: v.ResponseS, SmoothingS: v.SmoothingS, Pump: v.Pump, MeanDB: v.Mean,
		Loads: each(v.Loads, apiLoadCooled), Changes: v.Changes, Scale: each(v.Scale, apiScaleMark)}
	if out.Changes == nil {
		out.Changes = api.Settings{}
	}
	for _, p := range v.Curve {
		out.Curve = append(out.Curve, api.CurvePoint{C: p.C, Duty: p.Duty})
	}
	if f := v.Follows; f != nil {
		out.Follows = &api.Followed{Changes: f.Changes, MeanDB: f.Mean, MostDB: f.Most, Duty: []float64{}}
		for i := range thin(len(f.Duty)) {
			out.Follows.Duty = append(out.Follows.Duty, f.Duty[i].V)
		}
	}
	return out
}

func apiLoadCooled(l *workshop.LoadCooled) api.LoadCooled {
	out := api.LoadCooled{Load: string(l.Load), Duty: l.Duty, Rpm: l.RPM, ControlC: l.ControlC, HottestC: l.HottestC, HalfC: l.HalfC,
		NoiseDB: l.NoiseDB, NoiseHalf: l.NoiseHalf, Hunts: l.Hunts, Over: l.Over, CeilingC: l.CeilingC}
	if m := l.Measured; m.Legs > 0 {
		out.Measured = &api.Measured{Value: m.Value, Half: m.Half(), Legs: m.Legs}
	}
	return out
}

func apiScaleMark(m *workshop.ScaleMark) api.DutyNoise {
	return api.DutyNoise{Duty: m.Duty, Rpm: m.RPM, NoiseDB: m.NoiseDB}
}

func apiPump(p *workshop.PumpView) api.PumpView {
	return api.PumpView{Mode: p.Mode, MeanDB: finite(p.Mean), Best: p.Best}
}

func apiSeen(s *workshop.SeenView) api.SeenTemperature {
	return api.SeenTemperature{Load: string(s.Load), FromC: s.FromC, WidthC: s.WidthC, Seconds: s.Seconds}
}
