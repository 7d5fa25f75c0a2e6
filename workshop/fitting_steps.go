package workshop

import (
	"slices"

	"zerokeel/store"
)

// FittingStep is a step of a fitting as a person sees it.
type FittingStep struct {
	Name  string
	State StepState
}

// StepState is how a step stands.
type StepState string

const (
	StepDone    StepState = "done"
	StepNow     StepState = "now"
	StepWaiting StepState = "waiting"
	StepFailed  StepState = "failed"
)

// namedState is a state that is a step of a fitting, and how the step is called.
type namedState struct {
	state store.FittingState
	name  string
}

var fittingSteps = []namedState{
	{store.FitStaging, "Hand the settings to the board"},
	{store.FitRestarting, "Restart the machine"},
	{store.FitWaiting, "Wait until it is back"},
	{store.FitReading, "Read back what is in force"},
}

var systemSteps = []namedState{
	{store.FitStaging, "Set them in the running system"},
	{store.FitReading, "Read back what is in force"},
}

var cardSteps = []namedState{
	{store.FitEntering, "Enter the card at the board"},
	{store.FitWaiting, "Wait until the machine is back"},
	{store.FitReading, "Compare what the running machine shows"},
}

// StepsOf tells a fitting in steps.
func StepsOf(f *store.Fitting) []FittingStep {
	steps := fittingSteps
	if f.ByHand() {
		steps = cardSteps
	} else if f.AtOnce {
		steps = systemSteps
	}
	at, mark := f.State, StepNow
	switch f.State {
	case store.FitFailed, store.FitClearing, store.FitNoPost:
		at, mark = f.FailedIn, StepFailed
	case store.FitDiffers:
		at, mark = store.FitReading, StepFailed
	case store.FitInForce:
		at = ""
	}
	place := slices.IndexFunc(steps, func(s namedState) bool { return s.state == at })
	out := make([]FittingStep, len(steps))
	for i, step := range steps {
		state := StepWaiting
		switch {
		case place < 0 || i < place:
			state = StepDone
		case i == place:
			state = mark
		}
		out[i] = FittingStep{step.name, state}
	}
	return out
}
