package server_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"

	"zerokeel/link"
	"zerokeel/server/api"
	"zerokeel/server/servertest"
	"zerokeel/store/storetest"
)

const (
	ownersPassword = "lee shore and back"
	othersPassword = "of brass and rope"
)

// owned is a guarded bench whose owner is logged in, with a builder and a guest.
func owned(t *testing.T) (nobody, owner, builder, guest *servertest.Bench) {
	t.Helper()
	nobody = servertest.Guarded(t, storetest.Open(t))
	owner = nobody.Anybody()
	owner.Call("POST", "/api/first", api.FirstOwnerRequest{Code: nobody.Code, Name: "Ada", Password: ownersPassword}, 201, nil)
	owner.Call("POST", "/api/accounts", api.AddAccountRequest{Name: "Bo", Role: "builder", Password: othersPassword}, 201, nil)
	owner.Call("POST", "/api/accounts", api.AddAccountRequest{Name: "Gus", Role: "guest", Password: othersPassword}, 201, nil)
	return nobody, owner, nobody.As("bo", othersPassword), nobody.As("Gus", othersPassword)
}

// governed are the operations that an owner alone may do; every other one that changes something is a builder's too.
var governed = []string{"listAccounts", "addAccount", "changeAccount", "readAudit", "renewToken", "deletePart", "dropLog",
	"removeRig", "removeTrim", "keepSamples", "setWorkshop", "exportArchive",
	"takeArchive"}

// TestRolesDivideEveryOperation goes through the API's description: of each operation, who is not logged in gets nothing, a guest
// changes nothing, a builder does all but what is an owner's, and an owner everything. Whoever may, gets to what the request itself
// lacks; the others do not.
func TestRolesDivideEveryOperation(t *testing.T) {
	nobody, owner, builder, guest := owned(t)
	doc, err := openapi3.NewLoader().LoadFromData(api.Description)
	if err != nil {
		t.Fatal(err)
	}
	// What is allowed and has no body does what it says, so each path names things that are not there.
	fill := strings.NewReplacer("{rig}", "987", "{trim}", "987", "{trial}", "987", "{fitting}", "987", "{session}", "987", "{log}", "987",
		"{pilot}", "987", "{score}", "987", "{watch}", "987", "{account}", "987", "{kind}", "board", "{id}", "none", "{ladder}", "none",
		"{channel}", "none", "{batch}", "987", "{source}", "0123456789abcdef0123")
	tried := 0
	for path, item := range doc.Paths.Map() {
		for method, op := range item.Operations() {
			if op.Security != nil || op.OperationID == "streamEvents" || op.OperationID == "changePassword" {
				continue
			}
			tried++
			reads := method == http.MethodGet || op.Extensions["x-reads"] != nil
			owners := slices.Contains(governed, op.OperationID)
			for _, who := range []struct {
				name  string
				bench *servertest.Bench
				may   bool
				not   int
			}{{"nobody", nobody, false, 401}, {"guest", guest, reads && !owners, 403}, {"builder", builder, !owners, 403},
				{"owner", owner, true, 0}} {
				kind, in := sample(op)
				query := ""
				for _, p := range op.Parameters {
					if p.Value.In == "query" && p.Value.Required {
						query += p.Value.Name + "=987&"
					}
				}
				request, err := http.NewRequest(method, nobody.Address+fill.Replace(path)+"?"+query, strings.NewReader(in))
				if err != nil {
					t.Fatal(err)
				}
				if in != "" {
					request.Header.Set("Content-Type", kind)
				}
				status := who.bench.Do(request)
				refused := status == 401 || status == 403
				if refused == who.may || refused && status != who.not || status == 500 {
					t.Errorf("%s: %s %s (%s): %d", who.name, method, path, op.OperationID, status)
				}
			}
		}
	}
	if tried < 60 {
		t.Errorf("only %d operations were tried", tried)
	}
}

// sample is a body that the description allows, and its kind.
func sample(op *openapi3.Operation) (kind, text string) {
	if op.RequestBody == nil {
		return "", ""
	}
	if op.RequestBody.Value.Content.Get("application/zip") != nil {
		return "application/zip", "no archive"
	}
	media := op.RequestBody.Value.Content.Get("application/json")
	if media == nil {
		return "text/csv", "trim,yardstick,unit,better,value\n"
	}
	body, _ := json.Marshal(valueOf(media.Schema.Value))
	return "application/json", string(body)
}

func valueOf(s *openapi3.Schema) any {
	switch {
	case len(s.Enum) > 0:
		return s.Enum[0]
	case len(s.OneOf) > 0:
		return valueOf(s.OneOf[0].Value)
	case s.Type.Is("object"):
		out := map[string]any{}
		for _, name := range s.Required {
			out[name] = valueOf(s.Properties[name].Value)
		}
		return out
	case s.Type.Is("array"):
		out := []any{}
		for range s.MinItems {
			out = append(out, valueOf(s.Items.Value))
		}
		return out
	case s.Type.Is("boolean"):
		return true
	case s.Type.Is("number"), s.Type.Is("integer"):
		if s.Min != nil {
			return *s.Min + 1
		}
		return 1
	}
	return "aaaaaaaaaaaaaaaa"
}

// TestComingIn: the first owner needs the server's code, and is the only first one; names and passwords cannot be tried without end;
// a login ends with its password, its role, its account and at its own wish, everywhere at once; and a bench has always an owner.
func TestComingIn(t *testing.T) {
	nobody := servertest.Guarded(t, storetest.Open(t))
	var me api.Me
	if nobody.Call("GET", "/api/me", nil, 200, &me); !me.Guarded || !me.Unowned || me.Name != "" || me.Fingerprint != nil {
		t.Errorf("at first: %+v", me)
	}
	first := func(code, password string) int {
		status, _ := nobody.Anybody().Raw("POST", "/api/first", api.FirstOwnerRequest{Code: code, Name: "Ada", Password: password})
		return status
	}
	if got := []int{first("guess", ownersPassword), first("", ownersPassword), first(nobody.Code, "short"), first(nobody.Code, ownersPassword),
		first(nobody.Code, ownersPassword)}; fmt.Sprint(got) != "[401 401 422 201 422]" && fmt.Sprint(got) != "[401 401 422 201 409]" {
		t.Errorf("first owners: %v", got)
	}
	owner, other := nobody.As("Ada", ownersPassword), nobody.As("ada", ownersPassword)
	if owner.Call("GET", "/api/me", nil, 200, &me); me.Unowned || me.Name != "Ada" || me.Role != "owner" || me.Fingerprint == nil {
		t.Errorf("logged in: %+v", me)
	}
	one := "/api/accounts/1"
	owner.Call("PATCH", one, `{"role":"guest"}`, 409, nil)
	owner.Call("PATCH", one, `{"closed":true}`, 409, nil)
	owner.Call("POST", "/api/accounts", api.AddAccountRequest{Name: "ADA", Role: "guest", Password: othersPassword}, 422, nil)
	var made api.Account
	owner.Call("POST", "/api/accounts", api.AddAccountRequest{Name: "Bo", Role: "owner", Password: othersPassword}, 201, &made)
	bos := fmt.Sprintf("/api/accounts/%d", made.Id)
	bo := nobody.As("Bo", othersPassword)

	other.Call("POST", "/api/logout", "", 204, nil)
	other.Call("GET", "/api/rigs", nil, 401, nil)
	owner.Call("GET", "/api/rigs", nil, 200, nil)
	other = nobody.As("ada", ownersPassword)
	owner.Call("POST", "/api/me/password", api.PasswordRequest{Before: "not it at all", Password: "new words for it"}, 422, nil)
	owner.Call("POST", "/api/me/password", api.PasswordRequest{Before: ownersPassword, Password: "new words for it"}, 204, nil)
	for name, b := range map[string]*servertest.Bench{"who changed it": owner, "another browser": other} {
		if status, _ := b.Raw("GET", "/api/rigs", nil); status != 401 {
			t.Errorf("with the password of before, %s goes on: %d", name, status)
		}
	}
	nobody.Anybody().Call("POST", "/api/login", api.LoginRequest{Name: "Ada", Password: ownersPassword}, 401, nil)
	owner = nobody.As("Ada", "new words for it")
	owner.Call("PATCH", bos, `{"role":"guest"}`, 200, nil)
	bo.Call("GET", "/api/rigs", nil, 401, nil)
	bo = nobody.As("Bo", othersPassword)
	owner.Call("PATCH", bos, `{"closed":true}`, 200, nil)
	bo.Call("GET", "/api/rigs", nil, 401, nil)

	status, tries := 0, 0
	for ; status != http.StatusTooManyRequests && tries < 100; tries++ {
		status, _ = nobody.Raw("POST", "/api/login", api.LoginRequest{Name: "Ada", Password: fmt.Sprint("guess number ", tries)})
	}
	if tries > 10 {
		t.Errorf("%d passwords could be tried", tries)
	}
	if status, _ := nobody.Raw("POST", "/api/login", api.LoginRequest{Name: "Ada", Password: "new words for it"}); status != 429 {
		t.Errorf("after that the right one gives %d", status)
	}
	owner.Call("GET", "/api/rigs", nil, 200, nil) // who is logged in stays so
}

// TestScriptsAndStreams: a script shows name and password with each request; a stream of events and the figures for those who gather
// them are for who is known alone.
func TestScriptsAndStreams(t *testing.T) {
	nobody, owner, _, _ := owned(t)
	for _, row := range []struct {
		path, name, password string
		status               int
	}{
		{"/api/rigs", "gus", othersPassword, 200}, {"/api/rigs", "gus", "wrong or not", 401}, {"/metrics", "gus", othersPassword, 200},
		{"/metrics", "", "", 401}, {"/api/events", "", "", 401}, {"/health/ready", "", "", 200}, {"/", "", "", 200}, {"/api", "", "", 200},
	} {
		request, err := http.NewRequest("GET", nobody.Address+row.path, nil)
		if err != nil {
			t.Fatal(err)
		}
		if row.name != "" {
			request.SetBasicAuth(row.name, row.password)
		}
		if status := nobody.Do(request); status != row.status {
			t.Errorf("%s as %q: %d, want %d", row.path, row.name, status, row.status)
		}
	}
	for n := range 3 * 30 { // more than may be guessed
		request, err := http.NewRequest("GET", nobody.Address+"/api/loads", nil)
		if err != nil {
			t.Fatal(err)
		}
		request.SetBasicAuth("gus", othersPassword)
		if status := nobody.Do(request); status != 200 {
			t.Fatalf("request %d of a script: %d", n, status)
		}
	}
	request, err := http.NewRequest("POST", nobody.Address+"/api/rigs", bytes.NewReader([]byte(`{"name":"x"}`)))
	if err != nil {
		t.Fatal(err)
	}
	request.Header.Set("Content-Type", "application/json")
	request.Header.Set("Origin", "https://evil.example")
	if status := owner.Do(request); status != 403 {
		t.Errorf("a page from elsewhere uses a login: %d", status)
	}
}

// TestAuditTellsWhoDidWhat: what was done and what was refused, by whom and how it ended, and nothing of what was only looked at; no
// secret is in it, and no request changes it.
func TestAuditTellsWhoDidWhat(t *testing.T) {
	nobody, owner, builder, guest := owned(t)
	builder.Call("POST", "/api/rigs", `{"name":"Desk"}`, 201, nil)
	builder.Call("GET", "/api/rigs", nil, 200, nil)
	builder.Call("POST", "/api/rigs/1/token", "", 403, nil)
	guest.Call("PATCH", "/api/rigs/1", `{"ambientC":25}`, 403, nil)
	owner.Call("POST", "/api/rigs/1/token", "", 200, nil)
	nobody.Anybody().Call("POST", "/api/login", api.LoginRequest{Name: "Bo", Password: "a bad guess"}, 401, nil)
	nobody.Call("DELETE", "/api/parts/board/x", nil, 401, nil)
	request, err := http.NewRequest("GET", nobody.Address+"/metrics", nil)
	if err != nil {
		t.Fatal(err)
	}
	request.SetBasicAuth("gus", "another guess")
	nobody.Do(request)
	var list []api.Deed
	owner.Call("GET", "/api/audit", nil, 200, &list)
	var got []string
	for _, d := range slices.Backward(list) {
		got = append(got, fmt.Sprintf("%s (%s) %s: %s", d.Name, d.Role, d.Path, d.Outcome))
		if d.FromIP != "127.0.0.1" || d.Did == "" || strings.Contains(d.Did, ";") {
			t.Errorf("%+v", d)
		}
	}
	want := []string{"Ada () /api/first: done", "Ada (owner) /api/accounts: done", "Ada (owner) /api/accounts: done", "bo () /api/login: done",
		"Gus () /api/login: done", "Bo (builder) /api/rigs: done", "Bo (builder) /api/rigs/1/token: refused",
		"Gus (guest) /api/rigs/1: refused", "Ada (owner) /api/rigs/1/token: done", "Bo () /api/login: refused",
		"gus () /metrics: refused"}
	if !slices.Equal(got, want) {
		t.Errorf("got\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	for _, method := range []string{"POST", "PUT", "PATCH", "DELETE"} {
		if status, _ := owner.Raw(method, "/api/audit", "{}"); status != 405 {
			t.Errorf("%s of the audit: %d", method, status)
		}
	}
	text, err := json.Marshal(list)
	if err != nil || strings.Contains(string(text), "guess") || strings.Contains(string(text), othersPassword) {
		t.Errorf("%s, %v", text, err)
	}
}

// TestRigsWorkAtAGuardedServer: a rig links by the server's fingerprint, and a builder's trial runs on it.
func TestRigsWorkAtAGuardedServer(t *testing.T) {
	_, _, builder, _ := owned(t)
	fake := builder.AddFake("Desk", nil)
	trial := fake.Run(5, func(o link.Order) {
		fake.Send(link.Frame{Started: &link.Started{Order: o.ID, At: fake.Now()}},
			link.Frame{Finished: &link.Finished{Order: o.ID, How: link.Done, RanS: 5}})
	})
	if trial.Verdict != "held" {
		t.Errorf("the trial ended %s", trial.Verdict)
	}
}
