package survey

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
)

// Line is what a planner is told or says: one of these.
type Line struct {
	Setup   *Setup   `json:"setup,omitempty"`
	Order   *Order   `json:"order,omitempty"`
	Outcome *Outcome `json:"outcome,omitempty"`
	Result  *Result  `json:"result,omitempty"`
}

// mostLine is the longest line that is read, in bytes.
const mostLine = 1 << 20

// Plan plans a survey in conversation, a JSON object a line: it is told a setup, answers with an order, is told its outcome, and so on
// until it answers with the result. Fields that it does not know are passed over. The error names the line.
func Plan(in io.Reader, out io.Writer) error {
	lines := bufio.NewScanner(in)
	lines.Buffer(make([]byte, 0, 4096), mostLine)
	answers := json.NewEncoder(out)
	var s *Survey
	for n := 1; lines.Scan(); n++ {
		if len(lines.Bytes()) == 0 {
			continue
		}
		done, err := answer(lines.Bytes(), &s, answers)
		if err != nil {
			return fmt.Errorf("line %d: %w", n, err)
		}
		if done {
			return nil
		}
	}
	if err := lines.Err(); err != nil {
		return err
	}
	if s == nil {
		return fmt.Errorf("no setup came: begin with a line {\"setup\":{…}}")
	}
	return fmt.Errorf("the input ends before the survey does: tell the outcome of its last order")
}

func answer(text []byte, s **Survey, to *json.Encoder) (done bool, err error) {
	var l Line
	if err := json.Unmarshal(text, &l); err != nil {
		return false, err
	}
	switch {
	case l.Setup != nil && *s == nil:
		*s, err = New(*l.Setup)
	case l.Outcome != nil && *s != nil:
		err = (*s).Take(*l.Outcome)
	default:
		err = fmt.Errorf("give a setup first, and then the outcome of each order")
	}
	if err != nil {
		return false, err
	}
	if o, more := (*s).Next(); more {
		return false, to.Encode(Line{Order: &o})
	}
	result := (*s).Result()
	return true, to.Encode(Line{Result: &result})
}
