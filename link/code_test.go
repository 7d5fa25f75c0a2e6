package link_test

import (
	"bytes"
	"strings"
	"testing"

	"zerokeel/link"
)

const someFingerprint = "00112233445566778899aabbccddeeff00112233445566778899aabbccddeeff"

// TestCodeIsTypedAsPeopleType: a code holds where a server is and by what it is known, is short, and is read in any case, without its
// dashes and with letters for figures; any one wrong character, and any that is missing, is noticed.
func TestCodeIsTypedAsPeopleType(t *testing.T) {
	for _, row := range []struct {
		at      link.Server
		address string
		most    int // characters, with dashes
	}{
		{link.Server{Address: "https://10.0.0.2:7350", Fingerprint: someFingerprint}, "https://10.0.0.2:7350", 55},
		{link.Server{Address: "https://bench.example"}, "https://bench.example:443", 60},
		{link.Server{Address: "https://[fd00::2]:7350/", Fingerprint: someFingerprint}, "https://[fd00::2]:7350", 80},
		{link.Server{Address: "http://127.0.0.1:7350"}, "http://127.0.0.1:7350", 35},
	} {
		made, err := link.NewCode(row.at)
		if err != nil {
			t.Fatal(err)
		}
		text := made.String()
		if len(text) > row.most {
			t.Errorf("%s has %d characters", text, len(text))
		}
		typed := strings.NewReplacer("-", "", "0", "o", "1", "l").Replace(strings.ToLower(text))
		read, err := link.ParseCode(" " + typed + "\n")
		if err != nil || read.Address != row.address || read.Secret != made.Secret || !bytes.Equal(read.Pin, made.Pin) {
			t.Errorf("%s is read as %+v: %v", typed, read, err)
		}
		if pinned := row.at.Fingerprint != ""; pinned != (len(made.Pin) > 0) {
			t.Errorf("%+v is known by %x", row.at, made.Pin)
		}
		plain, wrong := strings.ReplaceAll(text, "-", ""), 0
		for i := range plain {
			other := "7"
			if plain[i] == '7' {
				other = "8"
			}
			for _, text := range []string{plain[:i] + other + plain[i+1:], plain[:i], plain[:i] + plain[i+1:]} {
				if c, err := link.ParseCode(text); err == nil && c.String() != made.String() {
					wrong++
				}
			}
		}
		if wrong > 0 {
			t.Errorf("%s: %d mistakes are not noticed", text, wrong)
		}
	}
	for _, at := range []link.Server{{Address: "http://10.0.0.2:7350"}, {Address: "https://10.0.0.2/path"}, {Address: "ftp://x"}, {},
		{Address: "https://u:p@10.0.0.2"}, {Address: "https://10.0.0.2?a=b"}} {
		if c, err := link.NewCode(at); err == nil {
			t.Errorf("%+v makes the code %s of %s", at, c, c.Address)
		}
	}
}

// FuzzCode: whatever is typed is refused with words, or is a code that is written and read the same.
func FuzzCode(f *testing.F) {
	for _, address := range []string{"https://10.0.0.2:7350", "http://localhost:80", "https://[fd00::2]:1"} {
		c, err := link.NewCode(link.Server{Address: address})
		if err != nil {
			f.Fatal(err)
		}
		f.Add(c.String())
	}
	f.Add("2000-0000")
	f.Fuzz(func(t *testing.T, text string) {
		c, err := link.ParseCode(text)
		if err != nil {
			if err.Error() == "" {
				t.Error("refused without a word")
			}
			return
		}
		again, err := link.ParseCode(c.String())
		if err != nil || again.String() != c.String() || again.Address != c.Address {
			t.Errorf("%q is %+v, and then %+v: %v", text, c, again, err)
		}
	})
}
