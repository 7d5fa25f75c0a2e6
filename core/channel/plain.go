package channel

import "strings"

// Plain returns a text as the name of a file or of a metric may hold it: small letters and digits, all else is "_".
func Plain(text string) string {
	return strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' {
			return r
		}
		return '_'
	}, strings.ToLower(text))
}
