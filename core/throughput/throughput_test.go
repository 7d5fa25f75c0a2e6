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

var processor = &part.Processor{Clusters: []part.Cluster{{Cores: 4}}, ThreadsPerCore: 2, Work: part.Work{PerMHz: 0.25, SMTGain: 0.3, MemoryShare: 0.15}}

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
