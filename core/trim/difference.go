package trim

import (
	"fmt"

	"zerokeel/core/part"
)

// Difference is a setting that is not in force as asked.
type Difference struct {
	Key    string     `json:"key"`
	Wanted part.Value `json:"wanted"`
	Found  part.Value `json:"found"` // unset if the board does not tell, or tells what the sheet does not explain
	Text   string     `json:"text"`
}

// NotInForce lists the wanted settings that were not found in force, in work order.
func NotInForce(wanted, found Settings) []Difference {
	out := []Difference{}
	for _, change := range Diff(found, wanted) {
		if !change.To.IsSet() {
			continue
		}
		d := Difference{Key: change.Key, Wanted: change.To, Found: change.From, Text: "the board does not tell this setting"}
		if d.Found.IsSet() {
			d.Text = fmt.Sprintf("asked %s, in force %s", d.Wanted, d.Found)
		}
		out = append(out, d)
	}
	return out
}
