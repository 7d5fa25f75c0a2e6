package throughput_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"zerokeel/core/memory"
	"zerokeel/core/part"
	"zerokeel/core/sensor"
	"zerokeel/core/throughput"
)

func kit(mts, cl float64) *memory.Running {
	return &memory.Running{MTs: mts, CL: cl, RCD: cl, RP: cl, RAS: memory.DefaultRAS(cl)}
}

var processor = &part.Processor{Clusters: []part.Cluster{{Cores: 4}}, ThreadsPerCore: 2,
	Work: part.Work{PerMHz: 0.25, SMTGain: 0.3, MemoryShare: 0.15}}

func TestPointsFollowClocksAndMemory(t *testing.T) {
	clocks := []float64{5000, 5000, 4900, 5000}
	all := throughput.AllCore(processor, clocks, true, kit(6000, 32))
	if want := 19900 * 0.25 * 1.3; math.Abs(all-want) > 1e-9 {
		t.Errorf("all cores at the reference memory: got %.2f, want %.2f", all, want)
	}
	if single := throughput.SingleCore(processor, clocks, kit(6000, 32)); math.Abs(single-1250) > 1e-9 {
		t.Errorf("the best core: got %.2f, want 1250", single)
	}
	if one := throughput.AllCore(processor, clocks, false, kit(6000, 32)); math.Abs(one*1.3/all-1) > 1e-12 {
		t.Errorf("one thread on a core gives %.2f of %.2f", one, all)
	}
	slow := throughput.AllCore(processor, clocks, true, kit(4800, 40))
	loss := 1 - slow/all
	single := 1 - throughput.SingleCore(processor, clocks, kit(4800, 40))/1250
	if loss <= single || single <= 0 {
		t.Errorf("slow memory costs all cores %.3f and a single core %.3f; want more for all", loss, single)
	}
	twice := throughput.AllCore(processor, []float64{10000, 10000, 9800, 10000}, true, kit(6000, 32))
	if math.Abs(twice/all-2) > 1e-12 {
		t.Errorf("twice the clock gives %.3f times the points", twice/all)
	}
}

// TestMemoryFiguresFollowTheKit: a faster kit carries more and makes wait less, and a faster core waits less for it.
func TestMemoryFiguresFollowTheKit(t *testing.T) {
	rows := []struct {
		name         string
		worse, other *memory.Running
	}{
		{"rate at equal timings in clocks", kit(4800, 36), kit(6000, 36)},
		{"timings at equal rate", kit(6000, 40), kit(6000, 30)},
	}
	for _, r := range rows {
		if a, b := throughput.BandwidthGBs(r.worse), throughput.BandwidthGBs(r.other); a >= b || b > 6*16 {
			t.Errorf("%s: %.1f and %.1f GB/s", r.name, a, b)
		}
		if a, b := throughput.LatencyNS(r.worse, 5000), throughput.LatencyNS(r.other, 5000); a <= b || b < 40 || a > 120 {
			t.Errorf("%s: %.1f and %.1f ns", r.name, a, b)
		}
	}
	if a, b := throughput.LatencyNS(kit(6000, 32), 4000), throughput.LatencyNS(kit(6000, 32), 5000); a <= b {
		t.Errorf("a slow core waits %.1f ns, a fast one %.1f", a, b)
	}
	if a, b := throughput.ResponseMS(4000), throughput.ResponseMS(5000); a <= b {
		t.Errorf("a slow core answers within %.2f ms, a fast one within %.2f", a, b)
	}
	if a, b := throughput.BigNumberOps(10000), throughput.BigNumberOps(20000); b != 2*a || a <= 0 {
		t.Errorf("twice the points do %g times the operations", b/a)
	}
}

// TestSensorIsUndoneByItsCorrection: a board that doubles a voltage is put right, up to the sensor's quantum.
func TestSensorIsUndoneByItsCorrection(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 5))
	wrong := sensor.Sensor{Quantum: 0.001, Scale: 2, Shift: 0.01}
	right := sensor.Correction{Scale: 0.5, Shift: -0.005}
	for v := 0.6; v < 1.5; v += 0.0137 {
		if got := right.Apply(wrong.Read(v, r)); math.Abs(got-v) > 0.00026 {
			t.Errorf("%.4f V came back as %.4f V", v, got)
		}
	}
	noisy := sensor.Sensor{Noise: 0.5}
	sum, squares := 0.0, 0.0
	const n = 20000
	for range n {
		x := noisy.Read(10, r)
		sum += x / n
		squares += (x - 10) * (x - 10) / n
	}
	if math.Abs(sum-10) > 0.02 || math.Abs(math.Sqrt(squares)-0.5) > 0.02 {
		t.Errorf("mean %.3f and spread %.3f, want 10 and 0.5", sum, math.Sqrt(squares))
	}
}
