package server

import (
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
