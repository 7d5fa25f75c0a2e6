package server

import (
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// GetKin answers with rigs of a kind side by side.
func (s *Server) GetKin(c *echo.Context) error {
	list, err := s.shop.Kin(c.Request().Context())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, each(list, func(k *workshop.Kin) api.Kin {
		return api.Kin{Processor: k.Processor, Mhz: k.MHz, Traits: each(k.Traits, apiKinTrait)}
	}))
}

func apiKinTrait(t *workshop.KinTrait) api.KinTrait {
	return api.KinTrait{What: api.KinTraitWhat(t.What), Unit: t.Unit, Rigs: each(t.Rigs, func(r *workshop.KinRig) api.KinRig {
		return api.KinRig{Rig: r.Rig, Value: r.Value, Half: r.Half, Strays: r.Strays}
	})}
}

// GetStart answers with where a rig may begin by what its kin have shown.
func (s *Server) GetStart(c *echo.Context, rig api.RigID) error {
	x, err := s.shop.Start(c.Request().Context(), rig)
	if err != nil {
		return err
	}
	out := api.Start{Kin: x.Kin, Told: x.Told, Parent: x.Parent, Risk24h: x.Risk, Begun: x.Begun, Offers: each(x.Offers, apiStartOffer)}
	if p := x.Spared; p != nil {
		out.Spared = &api.Spared{Minutes: p.Minutes, Worth: p.Worth(), Alone: p.Alone, With: p.With, Deeper: x.DeeperV}
	}
	return c.JSON(http.StatusOK, out)
}

func apiStartOffer(o *workshop.StartOffer) api.StartOffer {
	out := api.StartOffer{Rig: o.Rig, Name: o.Name, Trim: o.Trim.ID, Number: o.Trim.Number, TrimName: o.Trim.Name,
		Standing: string(o.Trim.Standing), Gains: each(o.Gains, apiGain), Changes: each(o.Changes, apiContrast), Settings: o.Settings,
		Depths: o.Depths, Fails: o.Fails, Unfit: []string{}, Stops: o.Stops}
	for _, u := range o.Unfit {
		out.Unfit = append(out.Unfit, fmt.Sprintf("%s: %s", u.Key, u.Why))
	}
	return out
}
