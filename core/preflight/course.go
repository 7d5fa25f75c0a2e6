package preflight

import (
	"fmt"
	"slices"

	"zerokeel/core/trim"
)

// parentFailed reports that a trim is built on one that failed.
func parentFailed(in *Input) []Finding {
	if in.Records.ParentFailed == "" || len(trim.Diff(in.Parent, in.Settings)) == 0 {
		return nil
	}
	return one(Caution, []string{}, nil, "Go on from the last trim that held, unless this one takes back what made it fail.",
		"The parent trim %s.", in.Records.ParentFailed)
}

// parentUnproven reports that a trim is built on one that never held.
func parentUnproven(in *Input) []Finding {
	if !in.Records.ParentUnproven || in.Records.ParentFailed != "" || len(trim.Diff(in.Parent, in.Settings)) == 0 {
		return nil
	}
	return one(Caution, []string{}, nil, "Run a ladder under the parent first, or go on from the last trim that held.",
		"The parent trim was not tried in every regime: if this one fails, nobody knows whether the change or the parent did it.")
}

// firmwareChanged reports that the parent was proven under another firmware, which may treat the same settings otherwise.
func firmwareChanged(in *Input) []Finding {
	now, then := in.Records.Firmware, in.Records.ParentFirmware
	if now == "" || then == "" || now == then {
		return nil
	}
	return one(Caution, []string{}, nil, "Prove the parent again under this version.",
		"The board now has firmware %s; the parent was proven under %s.", now, then)
}

// severalGroups warns of changes in more than one group: when it fails, nothing will have been learned.
func severalGroups(in *Input) []Finding {
	var groups []trim.Group
	var fields []string
	for _, c := range trim.Diff(in.Parent, in.Settings) {
		def, _, _ := trim.Find(c.Key)
		fields = append(fields, c.Key)
		if !slices.Contains(groups, def.Group) {
			groups = append(groups, def.Group)
		}
	}
	if len(groups) < 2 {
		return nil
	}
	return []Finding{{
		Level: Caution, Fields: fields,
		Reason: fmt.Sprintf("%d groups change at once (%s): if it fails, nobody knows which one did it.", len(groups), join(groups)),
		Remedy: "Change one group, prove it, then the next.",
	}}
}

func join(groups []trim.Group) string {
	text := ""
	for i, g := range groups {
		switch {
		case i == 0:
		case i == len(groups)-1:
			text += " and "
		default:
			text += ", "
		}
		text += string(g)
	}
	return text
}

// noChange notes a trim that equals its parent.
func noChange(in *Input) []Finding {
	if len(trim.Diff(in.Parent, in.Settings)) > 0 {
		return nil
	}
	return []Finding{{Level: Note, Fields: []string{}, Reason: "Nothing differs from the parent trim.",
		Remedy: "Change a setting, or fit the parent."}}
}
