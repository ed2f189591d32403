package publish

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"wharf/core/carried"
	"wharf/core/ical"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
	"wharf/core/zone"
)

// Source is the entry of a feed that a booking is of, as it was last read. All bookings of one entry have the same.
type Source struct {
	Doc   *recur.Document
	Entry recur.Entry
}

// mostSent is how many characters a UID of a source may have that is sent as it is.
const mostSent = 255

// everything are the items of offers of which all is told that their sources give, and the offers that are left: those
// that have no source, or of which not all counts. What repeats is one series of which each instance is an item. An entry is
// chosen as a whole: where one of its instances overlaps the window, all others in the laid-out stretch that are not offered
// are left out of it one by one.
func everything(r rules.Publication, window span.Span, laid recur.Window, offers []Offer) (items []Item, rest []Offer) {
	of := map[*Source][]Offer{}
	for _, o := range offers {
		if o.Source == nil || !o.Whole || !o.Source.Entry.IsEvent() {
			rest = append(rest, o)
			continue
		}
		of[o.Source] = append(of[o.Source], o)
	}
	var groups [][]Offer
	for _, group := range of {
		if slices.ContainsFunc(group, func(o Offer) bool { return o.Spans[0].Overlaps(window) }) {
			slices.SortFunc(group, func(a, b Offer) int { return cmp.Or(a.Spans[0].Compare(b.Spans[0]), strings.Compare(a.UID, b.UID)) })
			groups = append(groups, group)
		}
	}
	slices.SortFunc(groups, func(a, b []Offer) int {
		return cmp.Or(cmp.Compare(a[0].Feed, b[0].Feed), strings.Compare(a[0].UID, b[0].UID))
	})
	t := teller{rules: r, laid: laid, expanders: map[*recur.Document]*recur.Expander{}, zones: map[zonesOf]string{}, taken: map[string]bool{}}
	for _, group := range groups {
		told, ok := t.tell(group)
		if !ok {
			rest = append(rest, group...)
			continue
		}
		for _, o := range group {
			if o.Spans[0].Overlaps(window) {
				item := Item{Item: carried.Item{Name: carried.Name{UID: o.UID}, Span: o.Spans[0], Units: o.units(), Tentative: o.Tentative, Content: told.content, Sent: told.uid}, Least: told.least}
				item.Shown, told.Shown = told.Shown, Shown{Part: true} // the first of them shows all
				items = append(items, item)
			}
		}
	}
	return items, rest
}

// told is what a publication tells of an entry.
type told struct {
	Shown
	uid, content string
	least        int // SEQUENCE of its source
}

// teller writes entries as a publication tells them.
type teller struct {
	rules     rules.Publication
	laid      recur.Window
	expanders map[*recur.Document]*recur.Expander
	zones     map[zonesOf]string // as they are written
	taken     map[string]bool    // UIDs
}

// zonesOf are zones that a document explains.
type zonesOf struct {
	doc   *recur.Document
	tzids string
}

// tell is what the publication tells of an entry of which these are offered, in their order; ok is false where the entry
// does not have them.
func (t *teller) tell(group []Offer) (is told, ok bool) {
	src := group[0].Source
	offered := map[string]Offer{}
	for _, o := range group {
		offered[o.Occurrence] = o
	}
	x := t.expanders[src.Doc]
	if x == nil {
		x = src.Doc.In(t.laid)
		t.expanders[src.Doc] = x
	}
	of := map[int][]Offer{} // by the line of the component that they are of
	entry, ok := x.Leaving(src.Entry, func(o recur.Occurrence) bool {
		offer, stays := offered[o.Key.String()]
		if stays {
			of[o.Line] = append(of[o.Line], offer)
		}
		return stays
	})
	if !ok {
		return is, false
	}
	uid := t.uid(src.Entry, group)
	var components []*ical.Component
	for _, c := range append([]*ical.Component{entry.Master}, entry.Overrides...) {
		if c != nil {
			is.least = max(is.least, recur.RevisionOf(c).Sequence)
			components = append(components, t.component(x, src.Doc, c, uid, of[c.Line]))
		}
	}
	for _, c := range components {
		is.Series += c.String()
	}
	is.Zones = t.zonesFor(src.Doc, components)
	is.content = digest(is.Series + "\x00" + is.Zones)
	if uid != group[0].UID {
		is.uid = uid
	}
	return is, true
}

// uid is under which an entry goes out: the UID of its source, unless that would be another's too, or one of ours.
func (t *teller) uid(e recur.Entry, group []Offer) string {
	uid := e.UID
	if uid == "" && len(group) == 1 && group[0].Occurrence == "" {
		uid = group[0].UID
	} else if uid == "" || carried.LooksMinted(uid) || len(uid) > mostSent || t.taken[uid] {
		uid = digest(strconv.FormatInt(group[0].Feed, 10)+"\x00"+cmp.Or(uid, e.Place())) + "@wharf"
	}
	t.taken[uid] = true
	return uid
}

// zonesFor are the VTIMEZONEs that components refer to and their document explains, as they are written.
func (t *teller) zonesFor(doc *recur.Document, components []*ical.Component) string {
	used := usedZones(nil, components)
	if len(used) == 0 {
		return ""
	}
	at := zonesOf{doc, strings.Join(used, "\x00")}
	text, known := t.zones[at]
	if !known {
		for _, z := range doc.Zones(components[0].Calendar) {
			if slices.Contains(used, z.Text("TZID")) {
				text += z.String()
			}
		}
		t.zones[at] = text
	}
	return text
}

// What goes out of everything only if it is asked for (RFC 5545 sections 3.8.1.1, 3.8.4 and 3.8.4.6, RFC 7986 section 5, RFC 9073).
var (
	files  = map[string]bool{"ATTACH": true, "IMAGE": true, "STRUCTURED-DATA": true}
	guests = map[string]bool{"ATTENDEE": true, "ORGANIZER": true, "CONTACT": true, "REQUEST-STATUS": true, "PARTICIPANT": true}
	links  = map[string]bool{"URL": true, "SOURCE": true, "CONFERENCE": true, "LINK": true}
)

// times are the properties of which what is told without details consists, beside its status.
var times = map[string]bool{"RECURRENCE-ID": true, "DTSTART": true, "DTEND": true, "DURATION": true, "RRULE": true, "RDATE": true, "EXDATE": true, "EXRULE": true}

// said are those that the publication says itself.
var said = map[string]bool{"UID": true, "DTSTAMP": true, "SEQUENCE": true, "STATUS": true, "TRANSP": true, "X-MICROSOFT-CDO-BUSYSTATUS": true}

// goesOut reports whether the publication tells a property or component of this name and value.
func (t *teller) goesOut(name, value string) bool {
	own := strings.HasPrefix(name, "X-")
	switch {
	case files[name]:
		return t.rules.Attachments
	case guests[name], own && strings.Contains(strings.ToLower(value), "mailto:"):
		return t.rules.Attendees
	case links[name], own && strings.Contains(value, "://"):
		return t.rules.Links
	}
	return true
}

// component is a component of an entry as the publication tells it. Where somebody is not to see one of those that are of
// it, or nothing of it is offered, only its times are told.
func (t *teller) component(x *recur.Expander, doc *recur.Document, c *ical.Component, uid string, of []Offer) *ical.Component {
	discreet := len(of) == 0 || slices.ContainsFunc(of, func(o Offer) bool { return o.Discreet })
	c = anchored(c, cmp.Or(doc.Floating(c.Calendar), t.laid.Zone.String()), false)
	made := &ical.Component{Name: c.Name, Line: c.Line, Calendar: c.Calendar}
	made.AddText("UID", uid)
	own := len(of) > 0 && len(of[0].Categories) > 0
	for _, p := range c.Properties() {
		switch {
		case said[p.Name], discreet && !times[p.Name], own && p.Name == "CATEGORIES", !t.goesOut(p.Name, p.Value):
			continue
		case p.Name == "RRULE":
			p.Value = x.Rule(p.Value, c)
		}
		made.AddProperty(p)
	}
	if discreet {
		made.AddText("SUMMARY", t.rules.Title)
	} else if own {
		made.Add("CATEGORIES", textList(of[0].Categories))
	}
	tentative, blocks := c.Value("STATUS") == "TENTATIVE", c.Value("TRANSP") != "TRANSPARENT"
	if len(of) > 0 {
		tentative, blocks = of[0].Tentative, of[0].Blocks
	}
	made.Add("STATUS", status(tentative))
	made.Add("TRANSP", transparency(blocks))
	if !discreet {
		t.inside(made, c, of)
	}
	return made
}

// inside adds what is nested in a component: its alarms, if they are kept, and those that people laid down if all of it has
// the same.
func (t *teller) inside(made, c *ical.Component, of []Offer) {
	kept := t.rules.Alarm == rules.KeptAlarms
	for _, sub := range c.Components() {
		alarm := sub.Name == "VALARM"
		if alarm && (!kept || sub.Value("ACTION") == "EMAIL" && !t.rules.Attendees) || !t.goesOut(sub.Name, "") {
			continue
		}
		made.AddComponent(sub.Map(func(_ *ical.Component, p ical.Property) (ical.Property, bool) { return p, t.goesOut(p.Name, p.Value) }))
	}
	same := !slices.ContainsFunc(of, func(o Offer) bool { return !slices.Equal(o.alarms(), of[0].alarms()) })
	shown := Shown{Title: c.Text("SUMMARY")}
	if kept && same {
		shown.Alarms = of[0].alarms()
	}
	alarms(t.rules, made, shown)
}

// textList is a list of texts as one value (RFC 5545 section 3.1.1).
func textList(texts []string) string {
	all := make([]string, len(texts))
	for i, text := range texts {
		all[i] = ical.EscapeText(text)
	}
	return strings.Join(all, ",")
}

// series adds the components of an entry of which everything is shown, with what we say of them ourselves.
func (m *merger) series(row carried.Row, shown Shown) {
	of, known := m.read[shown.Zones]
	if !known {
		of.vtimezones = readBack(shown.Zones)
		of.table, _ = zone.NewTable(of.vtimezones) // they were read before
		m.read[shown.Zones] = of
	}
	for _, c := range m.named(readBack(shown.Series), of) {
		made := &ical.Component{Name: c.Name}
		for n, p := range c.Properties() {
			if made.AddProperty(p); n == 0 { // after UID
				made.Add("DTSTAMP", stamp(row.Stamp))
				made.Add("SEQUENCE", strconv.Itoa(row.Sequence))
			}
		}
		for _, sub := range c.Components() {
			made.AddComponent(sub)
		}
		m.components = append(m.components, made)
	}
}

// retold is a series under another UID, with something before its titles.
func retold(series, uid, before string) string {
	var b strings.Builder
	for _, c := range readBack(series) {
		b.WriteString(c.Map(func(in *ical.Component, p ical.Property) (ical.Property, bool) {
			switch {
			case in == c && p.Name == "UID":
				p.Value = ical.EscapeText(uid)
			case in == c && p.Name == "SUMMARY":
				p.Value = ical.EscapeText(before) + p.Value
			}
			return p, true
		}).String())
	}
	return b.String()
}

// readBack are components that we wrote.
func readBack(text string) []*ical.Component {
	calendars, err := ical.NewReader(strings.NewReader("BEGIN:VCALENDAR\r\n" + text + "END:VCALENDAR\r\n")).ReadAll()
	if err != nil || len(calendars) == 0 {
		return nil // what we write can be read
	}
	return calendars[0].Components()
}
