package link

import "zerokeel/core/part"

// Offer is what a rig's running system lets be set, in the words of a board's sheet, without what is delivered; how it stands now; and how
// it was found at this start of the machine. What does not tell at the moment is left out.
type Offer struct {
	Settings []part.BoardSetting `json:"settings"`
	Now      map[string]any      `json:"now"` // by attribute
	Found    map[string]any      `json:"found"`
}
