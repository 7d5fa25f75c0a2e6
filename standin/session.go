package standin

import (
	"crypto/rand"
	"crypto/subtle"
	"net/http"
	"strconv"
)

// sessions are the open Redfish sessions of a board, beside basic authentication.
type sessions struct {
	user, password string
	next           int
	open           map[string]session // by id
}

type session struct{ id, user, token string }

// maxSessions is how many sessions a board keeps open.
const maxSessions = 16

func newSessions(user, password string) sessions {
	return sessions{user: user, password: password, open: map[string]session{}}
}

func (s *sessions) knows(user, password string) bool {
	sameUser := subtle.ConstantTimeCompare([]byte(user), []byte(s.user))
	samePassword := subtle.ConstantTimeCompare([]byte(password), []byte(s.password))
	return sameUser&samePassword == 1
}

// allows reports whether a request carries basic credentials or a session's token.
func (s *sessions) allows(r *http.Request) bool {
	if s.user == "" {
		return true
	}
	if token := r.Header.Get("X-Auth-Token"); token != "" {
		for _, one := range s.open {
			if subtle.ConstantTimeCompare([]byte(token), []byte(one.token)) == 1 {
				return true
			}
		}
		return false
	}
	user, password, ok := r.BasicAuth()
	return ok && s.knows(user, password)
}

// create opens a session, closing the oldest when there are too many.
func (s *sessions) create(user string) session {
	if len(s.open) >= maxSessions {
		oldest := s.next
		for id := range s.open {
			if n, _ := strconv.Atoi(id); n < oldest {
				oldest = n
			}
		}
		delete(s.open, strconv.Itoa(oldest))
	}
	s.next++
	one := session{id: strconv.Itoa(s.next), user: user, token: rand.Text()}
	s.open[one.id] = one
	return one
}
