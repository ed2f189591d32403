package fetch

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"net/url"
	"path"
	"slices"
	"strings"

	"golang.org/x/net/html"
)

// Offer is a feed that was found in what is none.
type Offer struct {
	Link string // as it may be subscribed to
	Name string // what it is called there
}

const (
	mostOffers = 20
	// mostPacked is how many files of an archive are looked at.
	mostPacked = 1000
)

// isArchive reports whether bytes are a zip archive.
func isArchive(body []byte) bool { return bytes.HasPrefix(body, []byte("PK\x03\x04")) }

// calendarsIn are the .ics files of an archive, by name.
func calendarsIn(body []byte) []*zip.File {
	archive, err := zip.NewReader(bytes.NewReader(body), int64(len(body)))
	if err != nil {
		return nil
	}
	var all []*zip.File
	for _, f := range archive.File[:min(len(archive.File), mostPacked)] {
		if strings.EqualFold(path.Ext(f.Name), ".ics") && !strings.HasPrefix(path.Base(f.Name), ".") {
			all = append(all, f)
		}
	}
	slices.SortFunc(all, func(a, b *zip.File) int { return strings.Compare(a.Name, b.Name) })
	return all
}

// Unpack returns the calendar in an archive that is named, or the only one there is, and its name; nil
// where nothing tells which. What is no archive is returned as it is. The error says that there is
// too much in it.
func Unpack(body []byte, inside string, most int64) (calendar []byte, name string, err error) {
	if !isArchive(body) {
		return body, "", nil
	}
	files := calendarsIn(body)
	i := slices.IndexFunc(files, func(f *zip.File) bool { return f.Name == inside })
	if i < 0 && inside == "" && len(files) == 1 {
		i = 0
	}
	if i < 0 {
		return nil, "", nil
	}
	in, err := files[i].Open()
	if err != nil {
		return nil, "", &Error{Message: fmt.Sprintf("%q in the archive cannot be unpacked (%v): make the archive again, or use the .ics file itself", files[i].Name, err)}
	}
	defer in.Close()
	calendar, err = io.ReadAll(io.LimitReader(in, most+1))
	if err != nil {
		return nil, "", &Error{Message: fmt.Sprintf("%q in the archive cannot be unpacked (%v): make the archive again, or use the .ics file itself", files[i].Name, err)}
	}
	if int64(len(calendar)) > most {
		return nil, "", &Error{Message: fmt.Sprintf("%q in the archive is larger than %d MB, which no calendar of bookings is", files[i].Name, most>>20)}
	}
	return calendar, files[i].Name, nil
}

// OffersIn finds the feeds in what came from a link instead of one: the calendars in an archive, or
// those that a web page links to.
func OffersIn(body []byte, from string) []Offer {
	base, err := url.Parse(from)
	if err != nil {
		return nil
	}
	if isArchive(body) {
		var all []Offer
		for _, f := range calendarsIn(body) {
			one := *base
			one.Fragment = f.Name
			if all = append(all, Offer{one.String(), f.Name}); len(all) == mostOffers {
				break
			}
		}
		return all
	}
	return linked(body, base)
}

// linked are the feeds that a web page links to.
func linked(body []byte, base *url.URL) []Offer {
	var all []Offer
	seen := map[string]bool{}
	tokens := html.NewTokenizer(bytes.NewReader(body))
	open := -1 // the offer whose text is being read
	for len(all) <= mostOffers {
		switch tokens.Next() {
		case html.ErrorToken:
			return all
		case html.TextToken:
			if open >= 0 {
				all[open].Name = strings.TrimSpace(all[open].Name + " " + strings.Join(strings.Fields(string(tokens.Text())), " "))
			}
		case html.EndTagToken:
			if name, _ := tokens.TagName(); string(name) == "a" {
				open = -1
			}
		case html.StartTagToken, html.SelfClosingTagToken:
			t := tokens.Token()
			link, isFeed := feedOf(t, base)
			if !isFeed || seen[link] {
				continue
			}
			seen[link] = true
			all = append(all, Offer{Link: link})
			if t.Data == "a" {
				open = len(all) - 1
			}
		}
	}
	return all[:mostOffers]
}

// feedOf is what a tag of a web page links to, if that looks like a feed.
func feedOf(t html.Token, base *url.URL) (link string, isFeed bool) {
	of := map[string]string{}
	for _, a := range t.Attr {
		of[a.Key] = strings.TrimSpace(a.Val)
	}
	if t.Data != "a" && t.Data != "link" || of["href"] == "" {
		return "", false
	}
	u, err := base.Parse(of["href"])
	if err != nil {
		return "", false
	}
	isFeed = u.Scheme == "webcal" || u.Scheme == "webcals" || strings.HasPrefix(of["type"], "text/calendar") ||
		(u.Scheme == "http" || u.Scheme == "https") && (strings.EqualFold(path.Ext(u.Path), ".ics") || strings.EqualFold(path.Ext(u.RawQuery), ".ics"))
	if _, err := ParseLink(u.String()); err != nil {
		return "", false
	}
	return u.String(), isFeed
}
