package workshop

import (
	"zerokeel/core/columns"
	"zerokeel/core/compare"
	"zerokeel/core/energy"
	"zerokeel/core/forecast"
	"zerokeel/core/heat"
	"zerokeel/core/load"
	"zerokeel/core/part"
	"zerokeel/core/proof"
	"zerokeel/core/sounding"
	"zerokeel/core/survey"
	"zerokeel/core/trim"
	"zerokeel/core/tuning"
	"zerokeel/link"
	"zerokeel/store"
)

// What the workshop speaks of, as it is stored, sent or computed.
type (
	Fitting   = store.Fitting
	Leg       = store.Leg
	Event     = store.Event
	Score     = store.Score
	Incident  = store.Incident
	Watch     = store.Watch
	Recording = store.Log
	Session   = store.Session
	Flight    = store.Pilot
	Goal      = tuning.Goal
	StepKind  = tuning.Kind
	What      = sounding.What
	Carried   = store.StepDone
	Hours     = store.Hours
	Account   = store.Account
	Trace     = store.Trace
	Answer    = store.Answer
	Holdings  = store.Holdings

	Dependents = store.Dependents

	SessionPart  = store.SessionPart
	Contrast     = trim.Contrast
	SettingGroup = trim.Group
	Assessment   = survey.Assessment
	PartSheet    = store.Part
	Profile      = store.Profile

	LoadKind      = load.Kind
	FanRole       = store.FanRole
	FanOf         = part.Fan
	DutySpeed     = part.DutySpeed
	CurvePoint    = heat.Point
	DayHours      = energy.Hours
	Inject        = link.Inject
	ColumnTarget  = columns.Target
	ComparedTable = compare.Table
	ComparedRow   = compare.Row
	ComparedSide  = compare.Side
	Style         = part.Style
	SettledRow    = compare.SettledRow
	SettledLevel  = compare.Level
	ComparedPair  = compare.Pair
	Gain          = compare.Gain
	HeldRow       = compare.HeldRow
	Phrase        = compare.Phrase
	Verdict       = compare.Verdict
	Place         = compare.Place
	ProofRow      = proof.Row
)

// Loads lists the loads.
func Loads() []LoadKind { return load.Kinds }

// Errors that those who call tell apart.
var (
	ErrNotFound = store.ErrNotFound
	ErrFixed    = store.ErrFixed
	ErrSketch   = forecast.ErrSketch
	ErrAway     = store.ErrAway
	ErrFull     = store.ErrFull
)
