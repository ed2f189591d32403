package server

import (
	"context"
	"net/http"
	"time"

	openapi_types "github.com/oapi-codegen/runtime/types"
	"golang.org/x/sync/errgroup"

	gen "wharf/api/server"
	"wharf/core/preview"
	"wharf/core/span"
	"wharf/core/zone"
	"wharf/service/desk"
	"wharf/service/store"
)

// trialsAtOnce is how many links of a request are read at the same time.
const trialsAtOnce = 5

// TryLinks reads links and keeps nothing of them.
func (s *server) TryLinks(ctx context.Context, r gen.TryLinksRequestObject) (gen.TryLinksResponseObject, error) {
	loc := time.UTC
	if name := orEmpty(r.Body.Zone); name != "" {
		var err error
		if loc, err = zone.Load(name); err != nil {
			return nil, fieldProblem(http.StatusUnprocessableEntity, "zone", err.Error())
		}
	}
	all := make(gen.TryLinks200JSONResponse, len(r.Body.Links))
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(trialsAtOnce)
	for i, l := range r.Body.Links {
		group.Go(func() error {
			from, err := sourceOf(l.Url, l.File)
			if err != nil {
				return err
			}
			from.User, from.Password = orEmpty(l.User), orEmpty(l.Password)
			t, err := s.Desk.Try(ctx, from, loc)
			all[i] = trialJSON(t)
			return err
		})
	}
	return all, group.Wait()
}

func trialJSON(t desk.Trial) gen.Trial {
	out := gen.Trial{Link: t.Link, Problem: optional(t.Problem), Offers: []gen.Offer{}, Remarks: append(append([]string{}, t.Remarks...), t.Preview.Remarks...),
		Same: referencesTo(t.Same), Alike: referencesTo(t.Alike), Fewer: append([]string{}, t.Fewer...)}
	for _, o := range t.Offers {
		out.Offers = append(out.Offers, gen.Offer{Link: o.Link, Name: o.Name})
	}
	if t.Problem == "" {
		p := previewJSON(t.Preview)
		out.Preview = &p
		out.Proposal = &gen.FeedProposal{Name: t.Proposal.Name, Platform: t.Proposal.Platform, Calendar: optional(t.Proposal.Calendar), Every: int(t.Proposal.Every / time.Second)}
	}
	return out
}

func referencesTo(feeds []store.Feed) []gen.Reference {
	all := make([]gen.Reference, len(feeds))
	for i, f := range feeds {
		all[i] = gen.Reference{Id: f.ID, Name: f.Name}
	}
	return all
}

func previewJSON(p preview.Preview) gen.Preview {
	out := gen.Preview{Name: p.Name, Entries: p.Entries, Recurring: p.Recurring, Tentative: p.Tentative, Cancelled: p.Cancelled, Free: p.Free, Endless: p.Endless,
		First: dateJSON(p.First), Last: dateJSON(p.Last), Zones: append([]string{}, p.Zones...), Grain: optional(gen.Grain(p.Grain)), Next: []gen.PreviewBooking{}}
	for _, b := range p.Next {
		out.Next = append(out.Next, gen.PreviewBooking{Title: b.Title, AllDay: b.AllDay, Start: b.Start, End: b.End, Nights: b.Nights, Tentative: b.Tentative})
	}
	return out
}

// dateJSON is a date of the contract; nil for none.
func dateJSON(d span.Date) *openapi_types.Date {
	if d == 0 {
		return nil
	}
	return &openapi_types.Date{Time: d.Wall().Time()}
}
