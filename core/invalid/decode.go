package invalid

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"reflect"
	"sort"
	"strconv"
	"strings"
)

// MaxInput is the largest JSON text, in bytes, that Decode accepts. A part sheet or trim is a few
// kilobytes; anything near this is not one.
const MaxInput = 4 << 20

// Decode parses JSON text into the struct that into points to. Unlike encoding/json it lists every
// unknown field, repeated field, field of the wrong type and number out of range, and it leaves into
// untouched when there is any fault.
func Decode(text []byte, into any) List {
	var faults List
	if len(text) > MaxInput {
		faults.Add("", "send a smaller file", "%d bytes, more than the %d allowed", len(text), MaxInput)
		return faults
	}
	if len(bytes.TrimSpace(text)) == 0 {
		faults.Add("", "send a JSON object", "the input is empty")
		return faults
	}
	dec := json.NewDecoder(bytes.NewReader(text))
	dec.UseNumber()
	tree, err := parseValue(dec, nil, &faults, 0)
	if err == nil {
		if _, end := dec.Token(); !errors.Is(end, io.EOF) {
			err = errors.New("text after the end of the JSON value")
		}
	}
	if err != nil {
		line, column := position(text, dec.InputOffset())
		faults.Add("", "correct the JSON there", "line %d, column %d: %v", line, column, err)
		return faults
	}
	check(tree, reflect.TypeOf(into).Elem(), nil, &faults)
	if len(faults) > 0 {
		return faults
	}
	if err := json.Unmarshal(text, into); err != nil {
		faults.Add("", "correct the value", "%v", err)
	}
	return faults
}

const maxDepth = 32

// place is where in the text a value stands: a field or an item of what stands above it. It is spelt only for a fault, since
// most values have none.
type place struct {
	above *place // nil above the outermost
	name  string // of a field
	index int    // of an item; -1 for a field
}

func (p *place) String() string {
	switch {
	case p == nil:
		return ""
	case p.index >= 0:
		return fmt.Sprintf("%s[%d]", p.above, p.index)
	case p.above == nil:
		return p.name
	}
	return p.above.String() + "." + p.name
}

// parseValue reads one JSON value, noting repeated object keys, which encoding/json lets pass.
func parseValue(dec *json.Decoder, at *place, faults *List, depth int) (any, error) {
	if depth > maxDepth {
		return nil, fmt.Errorf("nested deeper than %d levels", maxDepth)
	}
	token, err := dec.Token()
	if err != nil {
		if errors.Is(err, io.EOF) {
			err = io.ErrUnexpectedEOF
		}
		return nil, err
	}
	delim, ok := token.(json.Delim)
	if !ok {
		return token, nil
	}
	if delim == '[' {
		list, each := []any{}, &place{above: at}
		for ; dec.More(); each.index++ {
			item, err := parseValue(dec, each, faults, depth+1)
			if err != nil {
				return nil, err
			}
			list = append(list, item)
		}
		_, err := dec.Token()
		return list, err
	}
	object := map[string]any{}
	for dec.More() {
		key, err := dec.Token()
		if err != nil {
			return nil, err
		}
		name, ok := key.(string)
		if !ok {
			return nil, fmt.Errorf("object key %v is no string", key)
		}
		field := &place{at, name, -1}
		item, err := parseValue(dec, field, faults, depth+1)
		if err != nil {
			return nil, err
		}
		if _, twice := object[name]; twice {
			faults.Add(field.String(), "keep one of them", "the field stands twice")
		}
		object[name] = item
	}
	_, err = dec.Token()
	return object, err
}

// check compares a parsed tree with the Go type it shall fill.
func check(value any, want reflect.Type, at *place, faults *List) {
	if want.Kind() == reflect.Pointer {
		if value == nil {
			return
		}
		want = want.Elem()
	}
	if want.Kind() == reflect.Interface || reflect.PointerTo(want).Implements(reflect.TypeFor[json.Unmarshaler]()) {
		if n, ok := value.(json.Number); ok {
			checkNumber(n, reflect.Float64, at, faults)
		}
		return
	}
	if value == nil && (want.Kind() == reflect.Slice || want.Kind() == reflect.Map) {
		return // none, as the standard library writes an empty one
	}
	mismatch := func(expected string) {
		faults.Add(at.String(), "give "+expected, "%s found where %s is expected", describe(value), expected)
	}
	switch want.Kind() {
	case reflect.Struct:
		object, ok := value.(map[string]any)
		if !ok {
			mismatch("an object")
			return
		}
		known := map[string]reflect.Type{}
		collectFields(want, known)
		for _, name := range sortedKeys(object) {
			field, ok := known[name]
			within := &place{at, name, -1}
			if !ok {
				faults.Add(within.String(), "remove it or correct its name", "no such field")
				continue
			}
			check(object[name], field, within, faults)
		}
	case reflect.Map:
		object, ok := value.(map[string]any)
		if !ok {
			mismatch("an object")
			return
		}
		for _, name := range sortedKeys(object) {
			check(object[name], want.Elem(), &place{at, name, -1}, faults)
		}
	case reflect.Slice, reflect.Array:
		list, ok := value.([]any)
		if !ok {
			mismatch("a list")
			return
		}
		each := &place{above: at}
		for _, item := range list {
			check(item, want.Elem(), each, faults)
			each.index++
		}
	case reflect.String:
		if _, ok := value.(string); !ok {
			mismatch("a text in quotes")
		}
	case reflect.Bool:
		if _, ok := value.(bool); !ok {
			mismatch("true or false")
		}
	default:
		n, ok := value.(json.Number)
		if !ok {
			mismatch("a number")
			return
		}
		checkNumber(n, want.Kind(), at, faults)
	}
}

func checkNumber(n json.Number, kind reflect.Kind, at *place, faults *List) {
	f, err := n.Float64()
	if err != nil || math.IsInf(f, 0) {
		faults.Add(at.String(), "give a finite number", "%s is out of range", n)
		return
	}
	if kind != reflect.Float64 && kind != reflect.Float32 {
		if _, err := strconv.ParseInt(n.String(), 10, 64); err != nil {
			faults.Add(at.String(), "give a whole number", "%s is no whole number", n)
		}
	}
}

func collectFields(t reflect.Type, into map[string]reflect.Type) {
	for i := range t.NumField() {
		f := t.Field(i)
		if f.Anonymous && f.Tag.Get("json") == "" {
			collectFields(f.Type, into)
			continue
		}
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		if name != "-" && name != "" {
			into[name] = f.Type
		}
	}
}

func describe(value any) string {
	switch v := value.(type) {
	case nil:
		return "null"
	case string:
		return strconv.Quote(v)
	case map[string]any:
		return "an object"
	case []any:
		return "a list"
	default:
		return fmt.Sprint(v)
	}
}

func position(text []byte, offset int64) (line, column int) {
	before := text[:min(int(offset), len(text))]
	return 1 + bytes.Count(before, []byte("\n")), len(before) - bytes.LastIndexByte(before, '\n')
}

func sortedKeys(m map[string]any) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	sort.Strings(keys)
	return keys
}
