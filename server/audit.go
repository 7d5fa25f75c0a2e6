package server

import (
	"context"
	"net/http"
	"strings"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/labstack/echo/v5"

	"zerokeel/server/api"
	"zerokeel/workshop"
)

// traceWithin is how long it may take to note what came of a request.
const traceWithin = 5 * time.Second

// readsAlone marks the operations in the API's description that are asked for by POST and change nothing.
const readsAlone = "x-reads"

// traced notes who does what before it is done, and then what came of it. What cannot be noted is not done.
func (s *Server) traced(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		op := operationOf(c)
		if op == nil || r.Method == http.MethodGet || r.Method == http.MethodHead || op.Extensions[readsAlone] != nil {
			return next(c)
		}
		if workshop.ActorOf(r.Context()).Kind == "" {
			return next(c) // the handler knows who says to be asking
		}
		return s.trace(c, "", func() error { return next(c) })
	}
}

// trace notes what somebody does, who says to be called name where nobody is known.
func (s *Server) trace(c *echo.Context, name string, do func() error) error {
	r, deed := c.Request(), operationOf(c).OperationID
	trace, err := s.shop.Begin(r.Context(), name, ip(r), deed, r.URL.Path)
	if err != nil {
		return err
	}
	err = do()
	status := http.StatusOK
	if err != nil {
		status = problemOf(err).Status
	} else if answer, unwrapErr := echo.UnwrapResponse(c.Response()); unwrapErr == nil {
		status = answer.Status
	}
	ctx, cancel := context.WithTimeout(context.WithoutCancel(r.Context()), traceWithin)
	defer cancel()
	if err := s.shop.End(ctx, trace, status); err != nil {
		s.log.Warn("what came of a request is not noted", "operation", deed, "error", err)
	}
	return err
}

// ReadAudit lists what was done.
func (s *Server) ReadAudit(c *echo.Context, params api.ReadAuditParams) error {
	list, err := s.shop.Audit(c.Request().Context(), deref(params.Before))
	if err != nil {
		return err
	}
	words := map[string]string{}
	for _, item := range s.doc.Paths.Map() {
		for _, op := range item.Operations() {
			words[op.OperationID], _, _ = strings.Cut(op.Summary, ";")
		}
	}
	return c.JSON(http.StatusOK, each(list, func(t *workshop.Trace) api.Deed {
		did, known := words[t.Deed]
		if !known {
			did = t.Deed // of another version
		}
		return api.Deed{Id: t.ID, At: t.At, Name: t.Name, Role: t.Role, FromIP: t.FromIP, Did: did, Path: t.Path, Outcome: outcome(t.Status)}
	}))
}

func outcome(status int) api.DeedOutcome {
	switch {
	case status == 0:
		return api.DeedOutcomeUnknown
	case status < 400:
		return api.DeedOutcomeDone
	case status < 500:
		return api.DeedOutcomeRefused
	}
	return api.DeedOutcomeFailed
}

const operationKey = "operation"

// operationOf is what a request asks for, by the API's description; nil where that does not tell.
func operationOf(c *echo.Context) *openapi3.Operation {
	op, _ := c.Get(operationKey).(*openapi3.Operation)
	return op
}
