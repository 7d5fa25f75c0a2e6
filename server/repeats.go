package server

import (
	"bytes"
	"errors"
	"io"
	"net/http"

	"github.com/labstack/echo/v5"

	"zerokeel/core/invalid"
	"zerokeel/workshop"
)

// Headers of requests that shall be done once, and of those that shall be done only while a thing is as it was seen.
const (
	keyHeader   = "Idempotency-Key"
	matchHeader = "If-Match"
)

// maxKey is the longest key, in bytes.
const maxKey = 100

// once answers a request that names a key as the same one before, so that a double click, or a try anew after an answer that was lost
// on the way, makes one thing.
func (s *Server) once(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		key, op := r.Header.Get(keyHeader), operationOf(c)
		if key == "" || r.Method != http.MethodPost || op == nil || isStreamed(r) || !needsLogin(op) || op.Extensions[readsAlone] != nil {
			return next(c)
		}
		if len(key) > maxKey {
			return invalid.List{{Field: keyHeader, Problem: "the key is too long", Remedy: "give at most 100 characters"}}
		}
		text, err := whole(c)
		if err != nil {
			return err
		}
		r.Body = io.NopCloser(bytes.NewReader(text))
		before, settle, err := s.shop.Once(r.Context(), key, op.OperationID, r.URL.Path, text)
		if err != nil {
			return err
		}
		if before != nil {
			return c.Blob(before.Status, "application/json", before.Body)
		}
		kept := &keeper{ResponseWriter: c.Response(), answer: workshop.Answer{Status: http.StatusOK}}
		c.SetResponse(kept)
		if err := next(c); err != nil {
			return errors.Join(err, settle(nil))
		}
		if err := settle(&kept.answer); err != nil {
			s.log.Warn("the answer to a request that names a key is not kept", "operation", op.OperationID, "error", err)
		}
		return nil
	}
}

// keeper keeps what is answered.
type keeper struct {
	http.ResponseWriter
	answer workshop.Answer
}

func (k *keeper) WriteHeader(status int) {
	k.answer.Status = status
	k.ResponseWriter.WriteHeader(status)
}

func (k *keeper) Write(p []byte) (int, error) {
	k.answer.Body = append(k.answer.Body, p...)
	return k.ResponseWriter.Write(p)
}

// Unwrap returns the writer behind.
func (k *keeper) Unwrap() http.ResponseWriter { return k.ResponseWriter }

// matched makes a request that names a version be done only while what it changes is of that version.
func matched(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if version := r.Header.Get(matchHeader); version != "" && version != "*" {
			c.SetRequest(r.WithContext(workshop.Expecting(r.Context(), untagged(version))))
		}
		return next(c)
	}
}

// untagged is a version without what HTTP puts around it.
func untagged(tag string) string {
	if len(tag) >= 2 && tag[0] == '"' && tag[len(tag)-1] == '"' {
		return tag[1 : len(tag)-1]
	}
	return tag
}

// tagged tells the version of what is answered.
func tagged(c *echo.Context, version string) {
	c.Response().Header().Set("ETag", `"`+version+`"`)
}
