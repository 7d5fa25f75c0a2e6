package link

import "fmt"

// Facts describe the machine as its operating system sees it. Unknown figures are zero.
type Facts struct {
	Host      string `json:"host"`
	System    string `json:"system"`
	Kernel    string `json:"kernel"`
	Processor string `json:"processor"`
	Cores     int    `json:"cores"`
	Threads   int    `json:"threads"`
	MemoryMB  int    `json:"memoryMB"`
	Microcode string `json:"microcode,omitempty"` // revision, as the operating system tells it

	Board    string   `json:"board,omitempty"`    // as the firmware tells it
	Firmware string   `json:"firmware,omitempty"` // its version
	Modules  []Module `json:"modules,omitempty"`  // of memory
}

// Module is one of memory, as the firmware tells of it. Unknown figures are zero.
type Module struct {
	Slot     string `json:"slot,omitempty"`
	Part     string `json:"part,omitempty"`
	SizeMB   int    `json:"sizeMB"`
	RatedMTs int    `json:"ratedMTs,omitempty"`
	MTs      int    `json:"mts,omitempty"`    // at which it runs
	MilliV   int    `json:"milliV,omitempty"` // at which it is set to
}

// String says a module in words, such as "16 GiB Cairn 6000, 4800 of 6000 MT/s, 1.100 V, in DIMM A2".
func (m Module) String() string {
	text := fmt.Sprintf("%d MB", m.SizeMB)
	if m.SizeMB%1024 == 0 {
		text = fmt.Sprintf("%d GiB", m.SizeMB/1024)
	}
	if m.Part != "" {
		text += " " + m.Part
	}
	switch {
	case m.MTs > 0 && m.RatedMTs > m.MTs:
		text += fmt.Sprintf(", %d of %d MT/s", m.MTs, m.RatedMTs)
	case max(m.MTs, m.RatedMTs) > 0:
		text += fmt.Sprintf(", %d MT/s", max(m.MTs, m.RatedMTs))
	}
	if m.MilliV > 0 {
		text += fmt.Sprintf(", %.3f V", float64(m.MilliV)/1000)
	}
	if m.Slot != "" {
		text += ", in " + m.Slot
	}
	return text
}
