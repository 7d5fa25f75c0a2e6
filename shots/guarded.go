package shots

import (
	"fmt"

	"github.com/go-rod/rod"

	"zerokeel/browser"
)

// Guarded is a guarded server of which pictures are taken, and the code of its first owner.
type Guarded struct{ Address, Code string }

// The password of everybody on the bench of the pictures.
const password = "lee shore and back"

// people gives the bench its owner, a builder and a guest, who do what an audit is about; nobody is logged in afterwards.
func (g *Guarded) people(b *browser.Browser) error {
	page, err := b.Page(g.Address)
	if err != nil {
		return err
	}
	defer func() { _ = page.Close() }()
	told, err := page.Timeout(browser.Timeout).Eval(`async (code, password) => {
		const refused = []
		const ask = async (want, method, path, body) => {
			const answer = await fetch(path, { method, headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) })
			if (answer.status !== want) refused.push(path + ': ' + answer.status + ' ' + (await answer.text()))
		}
		const as = async (name) => { await ask(204, 'POST', '/api/logout'); await ask(200, 'POST', '/api/login', { name, password }) }
		await ask(201, 'POST', '/api/first', { code, name: 'Ada', password })
		await ask(201, 'POST', '/api/accounts', { name: 'Bo', role: 'builder', password })
		await ask(201, 'POST', '/api/accounts', { name: 'Gus', role: 'guest', password })
		await ask(201, 'POST', '/api/accounts', { name: 'Ines', role: 'builder', password })
		await ask(200, 'PATCH', '/api/accounts/4', { closed: true })
		await as('Bo')
		await ask(200, 'PATCH', '/api/rigs/1', { ambientC: 23 })
		await ask(403, 'POST', '/api/rigs/1/token')
		await ask(201, 'POST', '/api/rigs/4/trials', { legs: [{ load: 'heavy', seconds: 30 }] })
		await as('Gus')
		await ask(403, 'POST', '/api/rigs/3/fittings', { trim: 1 })
		await ask(204, 'POST', '/api/logout')
		await ask(401, 'POST', '/api/login', { name: 'Ines', password })
		return refused.join('\n')
	}`, g.Code, password)
	if err != nil {
		return err
	}
	if text := told.Value.Str(); text != "" {
		return fmt.Errorf("the guarded bench refuses: %s", text)
	}
	return nil
}

// logIn lets the owner in, in a tab that shows the server.
func logIn(p *rod.Page) error {
	_, err := p.Eval(`(password) => fetch('/api/login', { method: 'POST', headers: { 'Content-Type': 'application/json' },
		body: JSON.stringify({ name: 'Ada', password }) })`, password)
	return err
}
