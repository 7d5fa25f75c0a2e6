package workshop

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"errors"
	"runtime"
	"strings"
	"unicode/utf8"

	"github.com/alexedwards/argon2id"
	"golang.org/x/sync/semaphore"

	"zerokeel/core/invalid"
	"zerokeel/store"
)

// Role is what somebody may do.
type Role string

const (
	RoleOwner   Role = "owner"   // everything
	RoleBuilder Role = "builder" // everything but accounts, tokens and removal
	RoleGuest   Role = "guest"   // look
)

// Roles lists the roles, the one that may do most first.
var Roles = []Role{RoleOwner, RoleBuilder, RoleGuest}

// Bounds of passwords, in characters. What is longer would only cost time.
const (
	shortestPassword = 10
	longestPassword  = 200
)

// Errors of logging in.
var (
	ErrBadLogin = errors.New("no account has this name and this password")
	ErrBadCode  = errors.New("this is not the code that the server wrote when it started")
)

// NewAccount says who gets an account.
type NewAccount struct {
	Name     string
	Role     Role
	Password string
}

// AccountChange says what changes of an account; nil leaves a thing as it is.
type AccountChange struct {
	Role     *Role
	Password *string
	Closed   *bool
}

// hashing bounds how many passwords are hashed at once: each takes 64 MiB for a while.
var hashing = semaphore.NewWeighted(int64(max(1, runtime.NumCPU()/2)))

// hash returns what is stored of a password.
func hash(ctx context.Context, password string) (string, error) {
	if err := hashing.Acquire(ctx, 1); err != nil {
		return "", err
	}
	defer hashing.Release(1)
	return argon2id.CreateHash(password, argon2id.DefaultParams)
}

// nobody is a hash that no password has, so that a name without account takes as long to refuse as one with.
const nobody = "$argon2id$v=19$m=65536,t=1,p=2$c29tZSBzYWx0IG9mIG5vbmU$AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"

// fits reports whether a password is the one of a hash.
func fits(ctx context.Context, password, stored string) (bool, error) {
	if err := hashing.Acquire(ctx, 1); err != nil {
		return false, err
	}
	defer hashing.Release(1)
	return argon2id.ComparePasswordAndHash(password, stored)
}

// Accounts lists every account by name.
func (w *Workshop) Accounts(ctx context.Context) ([]Account, error) {
	if err := may(ctx, manage, 0); err != nil {
		return nil, err
	}
	return w.store.Accounts(ctx)
}

// AddAccount gives somebody an account.
func (w *Workshop) AddAccount(ctx context.Context, in NewAccount) (*Account, error) {
	if err := may(ctx, manage, 0); err != nil {
		return nil, err
	}
	return w.addAccount(ctx, in, func([]store.Account) error { return nil })
}

func (w *Workshop) addAccount(ctx context.Context, in NewAccount, allowed func([]store.Account) error) (*Account, error) {
	var faults invalid.List
	faults.Name("name", &in.Name)
	checkRole(&faults, in.Role)
	checkPassword(&faults, in.Name, in.Password)
	if len(faults) > 0 {
		return nil, faults
	}
	hashed, err := hash(ctx, in.Password)
	if err != nil {
		return nil, err
	}
	a := &store.Account{Name: in.Name, Role: string(in.Role), Password: hashed}
	err = w.store.AddAccount(ctx, a, allowed)
	if errors.Is(err, store.ErrTaken) {
		return nil, invalid.List{{Field: "name", Problem: "there is an account of this name already", Remedy: "choose another name"}}
	}
	return a, err
}

func checkRole(faults *invalid.List, r Role) {
	for _, known := range Roles {
		if r == known {
			return
		}
	}
	faults.Add("role", "choose owner, builder or guest", "%.20q is no role", string(r))
}

func checkPassword(faults *invalid.List, name, password string) {
	n := utf8.RuneCountInString(password)
	switch {
	case n < shortestPassword:
		faults.Add("password", "take a longer one; a few words do", "it has %d characters, fewer than %d", n, shortestPassword)
	case n > longestPassword:
		faults.Add("password", "take a shorter one", "it has %d characters, more than %d", n, longestPassword)
	case strings.EqualFold(strings.TrimSpace(password), strings.TrimSpace(name)):
		faults.Add("password", "take another one", "it is the account's own name")
	}
}

// ChangeAccount changes an account. Whoever is logged in with it has to log in anew.
func (w *Workshop) ChangeAccount(ctx context.Context, id int64, in AccountChange) (*Account, error) {
	if err := may(ctx, manage, 0); err != nil {
		return nil, err
	}
	return w.changeAccount(ctx, id, in)
}

func (w *Workshop) changeAccount(ctx context.Context, id int64, in AccountChange) (*Account, error) {
	before, err := w.store.Account(ctx, id)
	if err != nil {
		return nil, err
	}
	var faults invalid.List
	hashed := ""
	if in.Role != nil {
		checkRole(&faults, *in.Role)
	}
	if in.Password != nil {
		checkPassword(&faults, before.Name, *in.Password)
	}
	if len(faults) > 0 {
		return nil, faults
	}
	if in.Password != nil {
		if hashed, err = hash(ctx, *in.Password); err != nil {
			return nil, err
		}
	}
	if err := w.store.ChangeAccount(ctx, id, func(a *store.Account, there []store.Account) error {
		if err := expect(ctx, fieldsOfAccount(a)); err != nil {
			return err
		}
		had := owned(there)
		if in.Role != nil {
			a.Role = string(*in.Role)
		}
		put(&a.Closed, in.Closed)
		if hashed != "" {
			a.Password = hashed
		}
		if had && !owned(there) {
			return conflict("%s is the last owner; make another account an owner first", a.Name)
		}
		return nil
	}); err != nil {
		return nil, err
	}
	return w.store.Account(ctx, id)
}

// owned reports whether among accounts is one of an owner who can log in.
func owned(there []store.Account) bool {
	for _, a := range there {
		if a.Role == string(RoleOwner) && !a.Closed {
			return true
		}
	}
	return false
}

// ChangePassword changes the password of who acts, who shows the one of before.
func (w *Workshop) ChangePassword(ctx context.Context, before, password string) error {
	if err := may(ctx, look, 0); err != nil {
		return err
	}
	me := ActorOf(ctx)
	if me.Account == 0 {
		return conflict("nobody is logged in here; an account's password is changed by who has it")
	}
	a, err := w.store.Account(ctx, me.Account)
	if err != nil {
		return err
	}
	if same, err := fits(ctx, before, a.Password); err != nil {
		return err
	} else if !same {
		return invalid.List{{Field: "before", Problem: "it is not the password of " + a.Name,
			Remedy: "enter the one that you have logged in with"}}
	}
	_, err = w.changeAccount(ctx, a.ID, AccountChange{Password: &password})
	return err
}

// Logins is where who is logged in is kept.
func (w *Workshop) Logins() store.Logins { return store.Logins{Store: w.store} }

// Entry is a login: an account as it was then.
type Entry struct{ Account, Version int64 }

// Enter returns the login of who has a name and a password, or ErrBadLogin. Everybody may ask.
func (w *Workshop) Enter(ctx context.Context, name, password string) (Entry, error) {
	if utf8.RuneCountInString(password) > longestPassword {
		return Entry{}, ErrBadLogin
	}
	a, err := w.store.AccountByName(ctx, strings.TrimSpace(name))
	if errors.Is(err, store.ErrNotFound) {
		a = &store.Account{Password: nobody, Closed: true}
	} else if err != nil {
		return Entry{}, err
	}
	same, err := fits(ctx, password, a.Password)
	if err != nil {
		return Entry{}, err
	}
	if !same || a.Closed {
		return Entry{}, ErrBadLogin
	}
	return Entry{a.ID, a.Version}, nil
}

// Entered returns who acts by a login, or ErrNobody once it has ended. Everybody may ask.
func (w *Workshop) Entered(ctx context.Context, e Entry) (Actor, error) {
	a, err := w.store.Account(ctx, e.Account)
	if errors.Is(err, store.ErrNotFound) || err == nil && (a.Closed || a.Version != e.Version) {
		return Actor{}, ErrNobody
	} else if err != nil {
		return Actor{}, err
	}
	return Actor{Kind: Person, Name: a.Name, Role: Role(a.Role), Account: a.ID}, nil
}

// NewCode makes the code that the bench's first owner shows, if it has none yet; else it is empty. Everybody may ask; it is told to
// whoever runs the server, and ends with this process.
func (w *Workshop) NewCode(ctx context.Context) (string, error) {
	has, err := w.HasOwner(ctx)
	if err != nil || has {
		return "", err
	}
	w.code = rand.Text()
	return w.code, nil
}

// HasOwner reports whether somebody can log in as owner. Everybody may ask.
func (w *Workshop) HasOwner(ctx context.Context) (bool, error) {
	there, err := w.store.Accounts(ctx)
	return owned(there), err
}

// MakeFirstOwner gives the bench its first owner, who shows the code. Everybody may ask.
func (w *Workshop) MakeFirstOwner(ctx context.Context, code, name, password string) (*Account, error) {
	if w.code == "" || subtle.ConstantTimeCompare([]byte(strings.TrimSpace(code)), []byte(w.code)) != 1 {
		return nil, ErrBadCode
	}
	return w.addAccount(ctx, NewAccount{name, RoleOwner, password}, func(there []store.Account) error {
		if owned(there) {
			return conflict("the bench has an owner already; log in")
		}
		return nil
	})
}

// SetOwner makes an account of an owner, or gives the one of that name a new password and the role of one. It is for whoever runs
// the server's own machine; everybody may ask, but nothing that comes over the network does.
func (w *Workshop) SetOwner(ctx context.Context, name, password string) error {
	a, err := w.store.AccountByName(ctx, strings.TrimSpace(name))
	if errors.Is(err, store.ErrNotFound) {
		_, err = w.addAccount(ctx, NewAccount{name, RoleOwner, password}, func([]store.Account) error { return nil })
		return err
	} else if err != nil {
		return err
	}
	role, closed := RoleOwner, false
	_, err = w.changeAccount(ctx, a.ID, AccountChange{Role: &role, Password: &password, Closed: &closed})
	return err
}
