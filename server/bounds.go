package server

import (
	"bytes"
	"fmt"
	"io"

	"github.com/labstack/echo/v5"

	"zerokeel/core/invalid"
)

// deepest is how many levels a request's JSON may have: the API describes none with more than ten.
const deepest = 40

// mostFaults is how many faults an answer lists.
const mostFaults = 100

// shallow refuses JSON of many levels before it is looked at: to say what is wrong with it would take seconds.
func shallow(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if !isJSON(r) || r.Body == nil {
			return next(c)
		}
		text, err := whole(c)
		if err != nil {
			return err
		}
		if depth(text) > deepest {
			return invalid.List{{Field: "", Problem: fmt.Sprintf("the JSON has more than %d levels", deepest),
				Remedy: "send what /api describes"}}
		}
		r.Body = io.NopCloser(bytes.NewReader(text))
		return next(c)
	}
}

// depth is how many arrays and objects of a JSON text lie within one another.
func depth(text []byte) (most int) {
	level, inText, escaped := 0, false, false
	for _, b := range text {
		switch {
		case escaped:
			escaped = false
		case inText:
			escaped, inText = b == '\\', b != '"'
		case b == '"':
			inText = true
		case b == '{' || b == '[':
			level++
			most = max(most, level)
		case b == '}' || b == ']':
			level--
		}
	}
	return most
}

// bounded is a list of faults that somebody reads: the first of many, and how many more there are.
func bounded(faults invalid.List) invalid.List {
	if len(faults) <= mostFaults {
		return faults
	}
	more := invalid.Entry{Problem: fmt.Sprintf("%d more faults", len(faults)-mostFaults), Remedy: "mend these first"}
	return append(faults[:mostFaults:mostFaults], more)
}
