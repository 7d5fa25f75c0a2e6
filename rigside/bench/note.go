package bench

import (
	"bufio"
	"fmt"
	"net/netip"
	"strings"

	"zerokeel/core/invalid"
	"zerokeel/link"
)

// NoteFile is the text file on the stick, to be changed with any editor.
const NoteFile = "zerokeel.txt"

// Note is what the text file on the stick says: link codes, of which each machine takes the first that is good, and the machine's address
// where nothing on its network hands out any.
type Note struct {
	Codes       []string
	Address     netip.Prefix // not valid where the network hands out addresses
	Gateway     netip.Addr   // not valid without one
	NameServers []netip.Addr
}

// mostNote is the size of a note in bytes, and mostCodes the codes in it.
const (
	mostNote  = 64 << 10
	mostCodes = 200
)

const noteHead = `# Zero Keel bench stick
# A machine that is started from this stick links itself by the first of these codes that is good.
# Codes are made on a rig's page, and are good for an hour and one machine: put new ones here, a line each,
#   code XXXX-XXXX-...
# or type one at the machine. It gets its address from the network, unless one is given here:
#   address 192.168.1.20/24
#   gateway 192.168.1.1
#   name-server 192.168.1.1
`

// String writes a note as a text file.
func (n Note) String() string {
	var b strings.Builder
	b.WriteString(noteHead)
	if n.Address.IsValid() {
		fmt.Fprintf(&b, "address %s\n", n.Address)
	}
	if n.Gateway.IsValid() {
		fmt.Fprintf(&b, "gateway %s\n", n.Gateway)
	}
	for _, a := range n.NameServers {
		fmt.Fprintf(&b, "name-server %s\n", a)
	}
	for _, c := range n.Codes {
		fmt.Fprintf(&b, "code %s\n", c)
	}
	return b.String()
}

// ParseNote reads a note. What is right in it counts, whatever else it holds; the faults say what does not.
func ParseNote(text string) (n Note, faults invalid.List) {
	if len(text) > mostNote {
		faults.Add(NoteFile, "keep the codes in it, and nothing else", "%d bytes, at most %d are read", len(text), mostNote)
		text = text[:mostNote]
	}
	lines := bufio.NewScanner(strings.NewReader(text))
	lines.Buffer(nil, mostNote+1)
	for number := 1; lines.Scan(); number++ {
		line := strings.TrimSpace(strings.TrimPrefix(lines.Text(), "\ufeff"))
		if line == "" || line[0] == '#' {
			continue
		}
		field := fmt.Sprintf("%s, line %d", NoteFile, number)
		word, value, _ := strings.Cut(line, " ")
		value = strings.TrimSpace(value)
		var err error
		switch strings.ToLower(strings.TrimSuffix(word, ":")) {
		case "code":
			var c link.Code
			if c, err = link.ParseCode(value); err == nil && len(n.Codes) < mostCodes {
				n.Codes = append(n.Codes, c.String())
			}
		case "address":
			var p netip.Prefix
			if p, err = netip.ParsePrefix(value); err == nil {
				n.Address = p
			}
		case "gateway":
			var a netip.Addr
			if a, err = netip.ParseAddr(value); err == nil {
				n.Gateway = a
			}
		case "name-server":
			var a netip.Addr
			if a, err = netip.ParseAddr(value); err == nil {
				n.NameServers = append(n.NameServers, a)
			}
		default:
			if c, isCode := link.ParseCode(line); isCode == nil && len(n.Codes) < mostCodes { // as it is copied from the page
				n.Codes = append(n.Codes, c.String())
				continue
			}
			err = fmt.Errorf("%.40q is not understood", line)
		}
		if err != nil {
			faults.Add(field, "write code, address, gateway or name-server, and then what it is", "%v", err)
		}
	}
	if n.Gateway.IsValid() && !(n.Address.IsValid() && n.Address.Contains(n.Gateway)) {
		faults.Add(NoteFile+", gateway", "give an address in the same network, such as 192.168.1.20/24", "%s is out of reach", n.Gateway)
		n.Gateway = netip.Addr{}
	}
	return n, faults
}
