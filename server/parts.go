package server

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/core/invalid"
	"zerokeel/core/part"
	"zerokeel/server/api"
	"zerokeel/workshop"
)

// WordSetting writes in how a rig's board calls a setting.
func (s *Server) WordSetting(c *echo.Context, rig api.RigID) error {
	in, err := body[api.Wording](c)
	if err != nil {
		return err
	}
	err = s.shop.Word(c.Request().Context(), rig, workshop.Wording{Setting: in.Setting, Label: in.Label, Menu: in.Menu, Min: in.Min,
		Max: in.Max, Step: in.Step})
	if err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// ListParts answers with every part sheet.
func (s *Server) ListParts(c *echo.Context) error {
	parts, err := s.shop.Parts(c.Request().Context())
	if err != nil {
		return err
	}
	out := []api.Part{}
	for i := range parts {
		one, err := apiPart(&parts[i])
		if err != nil {
			return err
		}
		out = append(out, one)
	}
	return c.JSON(http.StatusOK, out)
}

func apiPart(p *workshop.PartSheet) (api.Part, error) {
	out := api.Part{Version: workshop.VersionOfPart(p), Kind: p.Kind, Id: p.ID, Name: p.Name}
	if err := json.Unmarshal(p.Sheet, &out.Sheet); err != nil {
		return out, fmt.Errorf("read %s sheet %s: %w", p.Kind, p.ID, err)
	}
	return out, nil
}

// PutPart stores a part sheet after it was checked whole.
func (s *Server) PutPart(c *echo.Context, kind, id string) error {
	text, err := whole(c)
	if err != nil {
		return err
	}
	stored, err := s.shop.SavePart(c.Request().Context(), kind, id, text)
	if err != nil {
		return err
	}
	out, err := apiPart(stored)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

// GetPart answers with one sheet, as PutPart takes it.
func (s *Server) GetPart(c *echo.Context, kind, id string) error {
	p, err := s.shop.Part(c.Request().Context(), kind, id)
	if err != nil {
		return err
	}
	tagged(c, workshop.VersionOfPart(p))
	attach(c, fmt.Sprintf("%s.%s.json", id, kind))
	return c.JSONBlob(http.StatusOK, p.Sheet)
}

// GetPartForms answers with what the sheets of each kind hold.
func (s *Server) GetPartForms(c *echo.Context) error {
	forms, err := s.shop.PartForms(c.Request().Context())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, forms)
}

// CheckPart answers with the faults of a sheet, and with what can be drawn of it.
func (s *Server) CheckPart(c *echo.Context, kind string) error {
	text, err := whole(c)
	if err != nil {
		return err
	}
	drawings, err := s.shop.CheckPart(c.Request().Context(), kind, text)
	faults := invalid.List{}
	if err != nil && !errors.As(err, &faults) {
		return err
	}
	return c.JSON(http.StatusOK, api.PartCheck{Faults: faults, Drawings: drawings})
}

// GetToldParts answers with the sheets that a rig's machine begins, and what its own say otherwise.
func (s *Server) GetToldParts(c *echo.Context, rig api.RigID) error {
	t, err := s.shop.ToldParts(c.Request().Context(), rig)
	if err != nil {
		return err
	}
	var out api.ToldParts
	out.Drafts = make([]api.ToldDraft, 0, len(t.Drafts))
	for _, d := range t.Drafts {
		text, err := json.Marshal(d.Sheet)
		if err != nil {
			return err
		}
		one := api.ToldDraft{Kind: string(d.Kind), Told: nonNil(d.Told)}
		if err := json.Unmarshal(text, &one.Sheet); err != nil {
			return err
		}
		out.Drafts = append(out.Drafts, one)
	}
	out.Contradictions = make([]api.Contradiction, 0, len(t.Contradictions))
	for _, x := range t.Contradictions {
		out.Contradictions = append(out.Contradictions, api.Contradiction{Kind: string(x.Kind), Path: x.Path, Sheet: x.Sheet, Machine: x.Machine,
			Believe: x.Believe})
	}
	return c.JSON(http.StatusOK, out)
}

// NameParts names the sheets of a rig's parts.
func (s *Server) NameParts(c *echo.Context, rig api.RigID) error {
	in, err := body[api.PartNames](c)
	if err != nil {
		return err
	}
	r, err := s.shop.NameParts(c.Request().Context(), rig, workshop.PartIDs{Processor: in.Processor, Board: in.Board, Cooler: in.Cooler,
		Memory: in.Memory})
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, apiRig(r))
}

// DeletePart removes a sheet that no rig uses.
func (s *Server) DeletePart(c *echo.Context, kind, id string) error {
	return gone(c, s.shop.DropPart(c.Request().Context(), kind, id))
}

// LearnBoard reads the registry of a rig's board, and proposes which setting each attribute is.
func (s *Server) LearnBoard(c *echo.Context, id int64) error {
	list, err := s.shop.LearnBoard(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, list)
}

// DraftBoard makes a draft of a board's sheet from its registry and a mapping.
func (s *Server) DraftBoard(c *echo.Context, id int64) error {
	in, err := body[api.DraftBoardRequest](c)
	if err != nil {
		return err
	}
	draft, err := s.shop.DraftBoard(c.Request().Context(), id, part.Name{ID: in.Id, Maker: deref(in.Maker), Model: in.Model}, in.Mapping)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, draft)
}
