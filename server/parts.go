package server

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/core/fault"
	"zerokeel/core/part"
	"zerokeel/server/api"
	"zerokeel/store"
)

// ListParts answers with every part sheet.
func (s *Server) ListParts(c *echo.Context) error {
	parts, err := s.store.Parts(c.Request().Context())
	if err != nil {
		return err
	}
	out := []api.Part{}
	for _, p := range parts {
		one, err := apiPart(p)
		if err != nil {
			return err
		}
		out = append(out, one)
	}
	return c.JSON(http.StatusOK, out)
}

func apiPart(p store.Part) (api.Part, error) {
	out := api.Part{Kind: p.Kind, Id: p.ID, Name: p.Name}
	if err := json.Unmarshal(p.Sheet, &out.Sheet); err != nil {
		return out, fmt.Errorf("read %s sheet %s: %w", p.Kind, p.ID, err)
	}
	return out, nil
}

// PutPart stores a part sheet after it was checked whole.
func (s *Server) PutPart(c *echo.Context, kind, id string) error {
	text, err := io.ReadAll(c.Request().Body)
	if err != nil {
		return fmt.Errorf("read the request: %w", err)
	}
	sheet, err := part.ParseSheet(part.Kind(kind), text)
	if err != nil {
		return err
	}
	name := partName(sheet)
	if name.ID != id {
		var f fault.List
		f.Add("id", "let both agree", "the sheet says %q, the address %q", name.ID, id)
		return f
	}
	stored := store.Part{Kind: kind, ID: id, Name: name.String(), Sheet: text}
	if err := s.store.PutPart(c.Request().Context(), stored); err != nil {
		return err
	}
	out, err := apiPart(stored)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, out)
}

func partName(sheet any) part.Name {
	switch p := sheet.(type) {
	case *part.Processor:
		return p.Name
	case *part.Board:
		return p.Name
	case *part.Cooler:
		return p.Name
	case *part.Memory:
		return p.Name
	}
	return part.Name{}
}
