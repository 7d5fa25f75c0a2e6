package invalid_test

import (
	"encoding/json"
	"errors"
	"reflect"
	"strings"
	"testing"

	"zerokeel/core/invalid"
)

type point struct {
	MHz float64 `json:"mhz"`
	V   float64 `json:"v"`
}

type sheet struct {
	ID    string             `json:"id"`
	Cores int                `json:"cores"`
	Note  *string            `json:"note"`
	VF    []point            `json:"vf"`
	Act   map[string]float64 `json:"act"`
}

func TestDecodeListsEveryFault(t *testing.T) {
	rows := []struct {
		name, text string
		fields     []string // fields named, in order; nil when the text is good
	}{
		{"good", `{"id":"a","cores":8,"note":null,"vf":[{"mhz":800,"v":0.65}],"act":{"idle":0.1}}`, nil},
		{"unknown fields at two depths", `{"idd":"a","vf":[{"mHz":800}]}`, []string{"idd", "vf[0].mHz"}},
		{"wrong types", `{"id":5,"cores":"8","vf":{}}`, []string{"cores", "id", "vf"}},
		{"fraction for a count", `{"cores":7.5}`, []string{"cores"}},
		{"number past the range", `{"vf":[{"mhz":1e309,"v":1}]}`, []string{"vf[0].mhz"}},
		{"field twice", `{"id":"a","id":"b"}`, []string{"id"}},
		{"empty", "  ", []string{""}},
		{"cut off", `{"id":"a"`, []string{""}},
		{"text behind", `{} {}`, []string{""}},
		{"not an object", `[]`, []string{""}},
		{"deep nesting", strings.Repeat("[", 100), []string{""}},
	}
	for _, row := range rows {
		t.Run(row.name, func(t *testing.T) {
			got := sheet{ID: "before"}
			faults := invalid.Decode([]byte(row.text), &got)
			var fields []string
			for _, f := range faults {
				fields = append(fields, f.Field)
				if f.Problem == "" || f.Remedy == "" {
					t.Errorf("fault without problem or remedy: %+v", f)
				}
			}
			if !reflect.DeepEqual(fields, row.fields) {
				t.Errorf("fields: got %q, want %q\n%v", fields, row.fields, faults)
			}
			if len(faults) > 0 && got.ID != "before" {
				t.Error("a refused text changed the target")
			}
		})
	}
}

func TestListIsNoErrorWhenEmpty(t *testing.T) {
	var none invalid.List
	if none.Err() != nil {
		t.Error("an empty list is an error")
	}
	none.Add("vf", "sort them", "point %d is below point %d", 2, 1)
	err := none.Under("processor").Err()
	if want := "processor.vf: point 2 is below point 1; sort them"; err.Error() != want {
		t.Errorf("got %q, want %q", err, want)
	}
	var list invalid.List
	if !errors.As(err, &list) {
		t.Error("the error is no invalid.List")
	}
}

// FuzzDecode holds Decode against encoding/json: what Decode accepts, the library decodes to the same value.
func FuzzDecode(f *testing.F) {
	for _, seed := range []string{`{"id":"a","vf":[{"mhz":1,"v":2}]}`, `{"act":{"x":1e5}}`, `{"cores":-0}`, "{", "null", `{"note":null}`} {
		f.Add([]byte(seed))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		var got, want sheet
		if faults := invalid.Decode(text, &got); len(faults) > 0 {
			return
		}
		if err := json.Unmarshal(text, &want); err != nil {
			t.Fatalf("accepted %q, which the library refuses: %v", text, err)
		}
		if !reflect.DeepEqual(got, want) {
			t.Errorf("%q: got %+v, want %+v", text, got, want)
		}
	})
}
