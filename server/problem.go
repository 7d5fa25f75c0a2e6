package server

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"net/http"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/legacy"
	"github.com/labstack/echo/v5"

	"zerokeel/core/invalid"
	"zerokeel/server/api"
	"zerokeel/workshop"
)

// problemOf says what is wrong as problem+json does (RFC 9457), with each field that is wrong.
func problemOf(err error) api.Problem {
	p := api.Problem{Type: "about:blank", Status: http.StatusInternalServerError, Title: "Something went wrong inside",
		Faults: []invalid.Entry{}}
	var faults invalid.List
	var conflict *workshop.Conflict
	var httpError *echo.HTTPError
	var often *tooOften
	var moved *workshop.Moved
	switch {
	case errors.As(err, &moved):
		p.Status, p.Title = http.StatusPreconditionFailed, "Somebody else changed this meanwhile; nothing of yours was stored"
		for _, f := range moved.Fields {
			p.Faults = append(p.Faults, invalid.Entry{Field: f.Name, Problem: "it is now " + f.Now,
				Remedy: "look whether your change still fits, and send it again"})
		}
	case errors.As(err, &faults):
		p.Status, p.Title, p.Faults = http.StatusUnprocessableEntity, "The input has faults; nothing was changed", bounded(faults)
	case errors.As(err, &conflict):
		p.Status, p.Title = http.StatusConflict, conflict.Error()
	case errors.Is(err, workshop.ErrNotFound):
		p.Status, p.Title = http.StatusNotFound, "There is no such thing"
	case errors.Is(err, workshop.ErrFixed):
		p.Status, p.Title = http.StatusConflict, "This trim was fitted and no longer changes; make a new one from it"
	case errors.Is(err, workshop.ErrSketch):
		p.Status, p.Title = http.StatusConflict, "Nothing is forecast here: these sheets are a sketch, which tells neither the machine's power nor its heat"
	case errors.Is(err, workshop.ErrNobody):
		p.Status, p.Title = http.StatusUnauthorized, "Log in first"
	case errors.Is(err, workshop.ErrNotAllowed):
		p.Status, p.Title = http.StatusForbidden, "This is not yours to do; an owner of the bench says who may"
	case errors.Is(err, workshop.ErrBadLogin):
		p.Status, p.Title = http.StatusUnauthorized, "No account has this name and this password"
	case errors.Is(err, workshop.ErrBadCode):
		p.Status, p.Title = http.StatusUnauthorized, "This is not the code; the server wrote it where it was started, and makes another at each start"
	case errors.As(err, &often):
		p.Status, p.Title = http.StatusTooManyRequests, often.Error()
	case errors.Is(err, workshop.ErrFull):
		p.Status, p.Title = http.StatusInsufficientStorage, "The disk of the database is full; make room, and try again"
	case errors.Is(err, workshop.ErrAway):
		p.Status, p.Title = http.StatusServiceUnavailable, "The database does not answer; look again when it does whether this was done"
	case errors.As(err, &httpError):
		p.Status, p.Title = httpError.Code, httpError.Message
	case echo.StatusCode(err) != 0:
		p.Status, p.Title = echo.StatusCode(err), http.StatusText(echo.StatusCode(err))
	}
	return p
}

// problem answers every error. What went wrong inside is logged, not sent.
func (s *Server) problem(c *echo.Context, err error) {
	p := problemOf(err)
	var often *tooOften
	if errors.As(err, &often) {
		c.Response().Header().Set("Retry-After", fmt.Sprintf("%.0f", math.Ceil(often.wait.Seconds())))
	} else if p.Status == http.StatusServiceUnavailable {
		c.Response().Header().Set("Retry-After", "5")
	}
	r := c.Request()
	if left := r.Context().Err() != nil; p.Status == http.StatusInternalServerError && !left {
		s.log.Error("request failed", "method", r.Method, "path", r.URL.Path, "error", err)
	}
	if to, unwrapErr := echo.UnwrapResponse(c.Response()); unwrapErr == nil && to.Committed {
		panic(http.ErrAbortHandler) // what was begun and cannot be ended must not look complete
	}
	text, marshalErr := json.Marshal(p)
	if marshalErr != nil {
		text = []byte(`{"type":"about:blank","title":"Something went wrong inside","status":500,"faults":[]}`)
	}
	_ = c.Blob(p.Status, "application/problem+json", text)
}

// validator checks requests against the API's description: what it requires is there, in its range, and nothing else.
func (s *Server) validator() (echo.MiddlewareFunc, error) {
	router, err := legacy.NewRouter(s.doc)
	if err != nil {
		return nil, err
	}
	options := &openapi3filter.Options{MultiError: true, AuthenticationFunc: openapi3filter.NoopAuthenticationFunc}
	streamed := *options // a table is read by its own handler, line by line
	streamed.ExcludeRequestBody = true
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			route, params, err := router.FindRoute(c.Request())
			if err != nil {
				var notFound *routers.RouteError
				if errors.As(err, &notFound) && errors.Is(err, routers.ErrMethodNotAllowed) {
					return echo.NewHTTPError(http.StatusMethodNotAllowed, "this resource has no such method; /api lists them all")
				}
				return next(c)
			}
			c.Set(operationKey, route.Operation)
			if needsLogin(route.Operation) && workshop.ActorOf(c.Request().Context()).Kind == "" {
				return workshop.ErrNobody // before its body is looked at
			}
			input := &openapi3filter.RequestValidationInput{Request: c.Request(), PathParams: params, Route: route, Options: options}
			if isStreamed(c.Request()) {
				if b := route.Operation.RequestBody; b == nil || b.Value.Content.Get(kindOf(c.Request())) == nil {
					return echo.NewHTTPError(http.StatusUnsupportedMediaType, "send the body as application/json")
				}
				input.Options = &streamed
			}
			if err := openapi3filter.ValidateRequest(c.Request().Context(), input); err != nil {
				var faults invalid.List
				collect(err, "", &faults)
				return faults
			}
			return next(c)
		}
	}, nil
}

// needsLogin reports whether an operation is for who is known alone: all are, but those that the description names.
func needsLogin(op *openapi3.Operation) bool { return op.Security == nil || len(*op.Security) > 0 }

// collect turns the validator's errors into faults.
func collect(err error, at string, into *invalid.List) {
	var many openapi3.MultiError
	var request *openapi3filter.RequestError
	var schema *openapi3.SchemaError
	switch e := err.(type) {
	case openapi3.MultiError:
		for _, one := range e {
			collect(one, at, into)
		}
	case *openapi3filter.RequestError:
		if e.Parameter != nil {
			at = e.Parameter.Name
		}
		if e.Err == nil {
			into.Add(at, "see /api for what this request takes", "%s", e.Reason)
			return
		}
		collect(e.Err, at, into)
	case *openapi3.SchemaError:
		path := strings.Join(e.JSONPointer(), ".")
		if path == "" {
			path = at
		}
		switch {
		case e.SchemaField == "oneOf":
			into.Add(path, "give a number, true or false, or a word", "the value fits none of them, or is out of range")
			return
		case e.SchemaField == "properties" && e.Reason != "":
			if name, ok := quoted(e.Reason); ok {
				into.Add(strings.TrimPrefix(path+"."+name, "."), "remove it or correct its name; /api lists the fields", "no such field")
				return
			}
		}
		if e.Origin != nil && (errors.As(e.Origin, &many) || errors.As(e.Origin, &schema)) {
			collect(e.Origin, path, into)
			return
		}
		into.Add(path, "see /api for what this field takes", "%s", e.Reason)
	default:
		if errors.As(err, &many) {
			collect(many, at, into)
		} else if errors.As(err, &request) {
			collect(request, at, into)
		} else {
			into.Add(at, "see /api for what this request takes", "%s", err)
		}
	}
}

// quoted returns the first word in quotes of a text.
func quoted(text string) (string, bool) {
	_, rest, ok := strings.Cut(text, "\"")
	word, _, closed := strings.Cut(rest, "\"")
	return word, ok && closed
}

// body reads a request's JSON, which the validator has checked already.
func body[T any](c *echo.Context) (T, error) {
	var v T
	if err := json.NewDecoder(c.Request().Body).Decode(&v); err != nil {
		var f invalid.List
		f.Add("", "send the JSON that /api describes", "the body cannot be read: %v", err)
		return v, f
	}
	return v, nil
}

// whole reads a request's body as it stands.
func whole(c *echo.Context) ([]byte, error) {
	text, err := io.ReadAll(c.Request().Body)
	if err != nil {
		return nil, fmt.Errorf("read the request: %w", err)
	}
	return text, nil
}

// gone answers a removal, or whatever else has nothing to tell.
func gone(c *echo.Context, err error) error {
	if err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// attach lets a browser save the answer under a name.
func attach(c *echo.Context, name string) {
	c.Response().Header().Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s"`, name))
}
