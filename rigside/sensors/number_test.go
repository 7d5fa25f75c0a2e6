package sensors_test

import (
	"testing"

	"zerokeel/rigside/sensors"
)

// TestNumber: a core keeps its number while others are switched off and on again, whatever processors the kernel then gives it.
func TestNumber(t *testing.T) {
	core := func(id int, cpus ...int) sensors.Core { return sensors.Core{Socket: "0", ID: id, CPUs: cpus} }
	all := []sensors.Core{core(0, 0), core(1, 1), core(4, 2), core(5, 3)}
	var known []sensors.Core
	for _, row := range []struct {
		name  string
		found []sensors.Core
		ids   []int
		off   int // the core that is off, -1 for none
		cpu   int // the first processor of the last core
	}{
		{"at first", all, []int{0, 1, 4, 5}, -1, 3}, {"one off in firmware", []sensors.Core{core(0, 0), core(1, 1), core(5, 2)}, []int{0, 1, 4, 5}, 2, 2},
		{"on again", all, []int{0, 1, 4, 5}, -1, 3}, {"another off", all[1:], []int{0, 1, 4, 5}, 0, 3},
		{"two threads", []sensors.Core{core(0, 0, 4), core(1, 1, 5), core(4, 2, 6), core(5, 3, 7)}, []int{0, 1, 4, 5}, -1, 3},
		{"one more than ever", append([]sensors.Core{core(2, 9)}, all...), []int{0, 1, 2, 4, 5}, -1, 3},
	} {
		known = sensors.Number(known, row.found)
		on, threads := 0, 0
		for i, c := range known {
			if i >= len(row.ids) || c.ID != row.ids[i] || c.Off != (i == row.off) {
				t.Errorf("%s: %+v", row.name, known)
			}
			if !c.Off {
				on, threads = on+1, threads+len(c.CPUs)
			}
		}
		if gotOn, gotThreads := sensors.On(known); gotOn != on || gotThreads != threads || known[len(known)-1].CPUs[0] != row.cpu {
			t.Errorf("%s: %d cores, %d threads of %+v", row.name, gotOn, gotThreads, known)
		}
	}
}
