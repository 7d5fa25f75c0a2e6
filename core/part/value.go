package part

import (
	"encoding/json"
	"errors"
	"strconv"
)

// Value is a setting's value: a number, a switch (true or false) or a choice (a word). The zero Value
// is unset.
type Value struct {
	kind   valueKind
	number float64
	text   string
}

type valueKind uint8

const (
	unset valueKind = iota
	number
	toggle
	choice
)

// Number returns a numeric value.
func Number(x float64) Value { return Value{kind: number, number: x} }

// Switch returns a value that is true or false.
func Switch(on bool) Value {
	v := Value{kind: toggle}
	if on {
		v.number = 1
	}
	return v
}

// Choice returns a value that is one of a setting's words.
func Choice(word string) Value { return Value{kind: choice, text: word} }

// IsSet reports whether v holds a value.
func (v Value) IsSet() bool { return v.kind != unset }

// Number returns the number, and false when v holds none.
func (v Value) Number() (float64, bool) { return v.number, v.kind == number }

// Switch returns whether v is on, and false as second result when v is no switch.
func (v Value) Switch() (on, ok bool) { return v.number != 0, v.kind == toggle }

// Choice returns the word, and false when v is none.
func (v Value) Choice() (string, bool) { return v.text, v.kind == choice }

// String returns the value as in a file, without quotes: "-10", "true", "rated".
func (v Value) String() string {
	switch v.kind {
	case number:
		return strconv.FormatFloat(v.number, 'f', -1, 64)
	case toggle:
		return strconv.FormatBool(v.number != 0)
	case choice:
		return v.text
	}
	return ""
}

// MarshalJSON writes a JSON number, boolean or string; an unset value is null.
func (v Value) MarshalJSON() ([]byte, error) {
	switch v.kind {
	case number:
		return json.Marshal(v.number)
	case toggle:
		return json.Marshal(v.number != 0)
	case choice:
		return json.Marshal(v.text)
	}
	return []byte("null"), nil
}

// UnmarshalJSON reads what MarshalJSON writes.
func (v *Value) UnmarshalJSON(text []byte) error {
	var x any
	if err := json.Unmarshal(text, &x); err != nil {
		return err
	}
	switch x := x.(type) {
	case nil:
		*v = Value{}
	case float64:
		*v = Number(x)
	case bool:
		*v = Switch(x)
	case string:
		*v = Choice(x)
	default:
		return errors.New("a setting's value is a number, true, false or a word")
	}
	return nil
}
