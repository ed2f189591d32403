package server

import (
	"context"
	"errors"
	"net/http"
	"slices"
	"strings"

	gen "wharf/api/server"
	"wharf/core/publish"
	"wharf/service/secret"
	"wharf/service/store"
)

// secretPlace is the place for which publication secrets are sealed.
const secretPlace = "publication-secret"

func (s *server) ListPublications(ctx context.Context, r gen.ListPublicationsRequestObject) (gen.ListPublicationsResponseObject, error) {
	rows, err := s.Store.Publications(ctx)
	if err != nil {
		return nil, err
	}
	rows = slices.DeleteFunc(rows, func(p store.Publication) bool {
		return r.Params.Calendar != nil && *r.Params.Calendar != p.CalendarID || r.Params.Platform != nil && *r.Params.Platform != p.PlatformID
	})
	rows, more := pageOf(ctx, rows, r.Params.Limit, r.Params.After, func(p store.Publication) int64 { return p.ID })
	all, err := s.publicationsJSON(ctx, rows)
	return gen.ListPublications200JSONResponse{Body: all, Headers: gen.ListPublications200ResponseHeaders{Link: optional(more)}}, err
}

func (s *server) GetPublication(ctx context.Context, r gen.GetPublicationRequestObject) (gen.GetPublicationResponseObject, error) {
	one, err := s.publicationJSON(ctx, r.Id)
	return gen.GetPublication200JSONResponse(one), err
}

func (s *server) CreatePublication(ctx context.Context, r gen.CreatePublicationRequestObject) (gen.CreatePublicationResponseObject, error) {
	if _, err := s.Store.Calendar(ctx, r.Body.Calendar); err != nil {
		if errors.Is(err, store.ErrNotFound) {
			return nil, fieldProblem(http.StatusUnprocessableEntity, "calendar", "there is no calendar with this id")
		}
		return nil, err
	}
	link := secret.New()
	row := store.Publication{CalendarID: r.Body.Calendar, Name: strings.TrimSpace(r.Body.Name), SecretHash: secret.Hash(link),
		SecretCipher: s.Box.Seal(secretPlace, link), CreatedAt: s.Now(), Title: publish.Placeholder}
	err := s.Store.Tx(ctx, func(tx *store.Tx) error {
		row.ID = 0
		platform, err := tx.PlatformNamed(strings.TrimSpace(r.Body.Platform))
		if err != nil {
			return err
		}
		row.PlatformID = platform.ID
		if err := tx.CreatePublication(&row); err != nil {
			return err
		}
		return errors.Join(tx.MarkDirty(row.CalendarID), tx.Changed(store.TopicPlatform, platform.ID))
	})
	if err != nil {
		return nil, s.takenBy(ctx, err, row)
	}
	s.Combiner.Calendars(ctx, row.CalendarID)
	one, err := s.publicationJSON(ctx, row.ID)
	return gen.CreatePublication201JSONResponse(one), err
}

// takenBy says which of the two things that must differ does not.
func (s *server) takenBy(ctx context.Context, err error, row store.Publication) error {
	if !errors.Is(err, store.ErrTaken) {
		return err
	}
	all, failed := s.Store.Publications(ctx)
	if failed != nil {
		return failed
	}
	for _, p := range all {
		if p.CalendarID == row.CalendarID && p.PlatformID == row.PlatformID {
			return takenProblem("platform", "this platform has a link for the calendar already: "+p.Name)
		}
	}
	return takenProblem("name", publicationNameTaken)
}

func (s *server) ListPickups(ctx context.Context, r gen.ListPickupsRequestObject) (gen.ListPickupsResponseObject, error) {
	if _, err := s.Store.Publication(ctx, r.Id); err != nil {
		return nil, err
	}
	rows, err := s.Store.Pickups(ctx, r.Id, 100)
	all := make(gen.ListPickups200JSONResponse, len(rows))
	for i, p := range rows {
		all[i] = gen.Pickup{Version: p.Version, First: p.FirstAt, Last: p.LastAt, Times: p.Times, Agent: p.Agent}
	}
	return all, err
}

const publicationNameTaken = "another publication has this name: choose one that you will tell apart"

func (s *server) publicationJSON(ctx context.Context, id int64) (gen.Publication, error) {
	row, err := s.Store.Publication(ctx, id)
	if err != nil {
		return gen.Publication{}, err
	}
	all, err := s.publicationsJSON(ctx, []store.Publication{row})
	if err != nil {
		return gen.Publication{}, err
	}
	return all[0], nil
}

func (s *server) publicationsJSON(ctx context.Context, rows []store.Publication) ([]gen.Publication, error) {
	platforms, err := s.platforms(ctx)
	if err != nil {
		return nil, err
	}
	counts, err := s.Store.CountPublications(ctx)
	if err != nil {
		return nil, err
	}
	all := make([]gen.Publication, len(rows))
	for i, p := range rows {
		link, err := s.Box.Open(secretPlace, p.SecretCipher)
		if err != nil {
			return nil, err
		}
		n := counts[p.ID]
		all[i] = gen.Publication{Id: p.ID, Name: p.Name, Revision: p.Revision, Calendar: p.CalendarID, Platform: platforms[p.PlatformID],
			Url: s.PublicURL.JoinPath("p", link+".ics").String(), Version: p.Version, VersionAt: n.VersionAt, Items: n.Items,
			Pickups: n.Pickups, LastPickup: n.LastPickup, LastPickupVersion: n.LastVersion}
	}
	return all, nil
}
