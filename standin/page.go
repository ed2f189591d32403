package standin

import (
	"encoding/json"
	"html/template"
	"net/http"
	"slices"
)

// Handler serves the platform: a page for people, its feed, and the same in JSON for
// programs.
func (p *Platform) Handler() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /{$}", p.page)
	at := func(serve http.HandlerFunc) http.HandlerFunc {
		return func(w http.ResponseWriter, r *http.Request) {
			if r.PathValue("secret") != p.Secret || r.PathValue("file") != p.file() {
				http.NotFound(w, r)
				return
			}
			serve(w, r)
		}
	}
	mux.HandleFunc("GET /ical/{secret}/{file}", at(p.serveTrouble))
	mux.HandleFunc("GET /other/{secret}/{file}", at(p.serveFeed)) // where it is found when it is not there
	mux.HandleFunc("POST /trouble", p.setTrouble)
	mux.HandleFunc("POST /bookings", p.book)
	mux.HandleFunc("POST /bookings/{id}/cancel", p.cancel)
	mux.HandleFunc("POST /import", p.setImport)
	mux.HandleFunc("GET /blocks", func(w http.ResponseWriter, _ *http.Request) { writeJSON(w, p.Blocks()) })
	mux.HandleFunc("GET /bookings", func(w http.ResponseWriter, _ *http.Request) { writeJSON(w, p.Bookings()) })
	return http.NewCrossOriginProtection().Handler(mux)
}

func writeJSON(w http.ResponseWriter, v any) {
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(v) // the reader went away
}

func (p *Platform) book(w http.ResponseWriter, r *http.Request) {
	if _, err := p.Book(r.FormValue("guest"), r.FormValue("first"), r.FormValue("last")); err != nil {
		http.Error(w, err.Error(), http.StatusUnprocessableEntity)
		return
	}
	http.Redirect(w, r, "/", http.StatusSeeOther)
}

func (p *Platform) cancel(w http.ResponseWriter, r *http.Request) {
	found, err := p.Cancel(r.PathValue("id"))
	switch {
	case err != nil:
		http.Error(w, err.Error(), http.StatusInternalServerError)
	case !found:
		http.NotFound(w, r)
	default:
		http.Redirect(w, r, "/", http.StatusSeeOther)
	}
}

func (p *Platform) setImport(w http.ResponseWriter, r *http.Request) {
	err := p.SetImport(r.FormValue("link"))
	if err == nil {
		err = p.ImportNow(r.Context())
	}
	if err != nil {
		http.Error(w, "the feed cannot be imported: "+err.Error(), http.StatusUnprocessableEntity)
		return
	}
	http.Redirect(w, r, "/", http.StatusSeeOther)
}

var pageTemplate = template.Must(template.New("page").Parse(`<!doctype html>
<html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>{{.Name}} (pretend platform)</title>
<style>
body{font:16px/1.5 sans-serif;max-width:44rem;margin:2rem auto;padding:0 1rem;color:#222}
table{border-collapse:collapse;width:100%}td,th{text-align:left;padding:.3rem .6rem;border-bottom:1px solid #ccc}
input,button{font:inherit;padding:.25rem .5rem}code{overflow-wrap:anywhere}form{margin:.5rem 0}
</style>
<h1>{{.Name}}</h1><p>A pretend platform of the demo. It sells {{.Thing}} by the {{if .Hours}}hour{{else}}day{{end}}.</p>
<h2>Bookings</h2><table><tr><th>Guest<th>{{if .Hours}}From<th>Until{{else}}First day<th>Day after the last{{end}}<th></tr>
{{range .Bookings}}<tr><td>{{.Guest}}{{if .Tentative}} (asked for){{end}}{{if .Weeks}} (weekly, {{.Weeks}} times){{end}}<td>{{.From}}<td>{{.Until}}<td><form method="post" action="/bookings/{{.ID}}/cancel"><button>Cancel</button></form></tr>{{else}}<tr><td colspan="4">None.</tr>{{end}}</table>
<form method="post" action="/bookings"><input name="guest" placeholder="Guest" aria-label="Guest" required> <input type="{{if .Hours}}datetime-local{{else}}date{{end}}" name="first" aria-label="From" required> <input type="{{if .Hours}}datetime-local{{else}}date{{end}}" name="last" aria-label="Up to, not including" required> <button>Book</button></form>
<h2>Blocked by import</h2><table><tr><th>From<th>Up to, not including</tr>
{{range .Blocks}}<tr><td>{{.From}}<td>{{.Until}}</tr>{{else}}<tr><td colspan="2">Nothing.</tr>{{end}}</table>
<h2>Trouble</h2><form method="post" action="/trouble"><select name="kind" aria-label="What is wrong with the feed"><option value="">its feed is as it should be</option>{{range .Troubles}}<option{{if eq . $.Trouble}} selected{{end}}>{{.}}</option>{{end}}</select> <button>Be so</button></form>
<h2>Links</h2><p>Feed of this platform, to subscribe to: <code>{{.Feed}}</code></p>
<form method="post" action="/import"><input name="link" size="40" value="{{.Import}}" placeholder="Link to import" aria-label="Link to import"> <button>Import</button></form>`))

func (p *Platform) page(w http.ResponseWriter, r *http.Request) {
	p.mu.Lock()
	link, trouble := p.state.Import, p.trouble
	p.mu.Unlock()
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_ = pageTemplate.Execute(w, map[string]any{ // the reader went away
		"Name": p.Name, "Thing": orKetch(p.Thing), "Hours": p.Style.Hours, "Bookings": standing(p.Bookings()), "Blocks": p.Blocks(), "Feed": "http://" + r.Host + p.FeedPath(), "Import": link, "Troubles": Troubles(), "Trouble": trouble,
	})
}

func orKetch(thing string) string {
	if thing == "" {
		return "the ketch Merrow"
	}
	return "the " + thing
}

// standing are the bookings that are not cancelled.
func standing(all []Booking) []Booking {
	return slices.DeleteFunc(all, func(b Booking) bool { return b.Cancelled })
}
