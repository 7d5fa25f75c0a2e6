package link

import "golang.org/x/time/rate"

// SetPace bounds what each rig may say, in bytes.
func (h *Hub) SetPace(perS float64, burst int) { h.pace = pace{rate.Limit(perS), burst} }

// Behind tells whether a rig is not read at the moment.
func (h *Hub) Behind(rig int64) bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	s := h.links[rig]
	return s != nil && s.behind
}
