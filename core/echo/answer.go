package echo

// Answer is what a person said of an entry. It stands whatever is read later.
type Answer string

const (
	Own       Answer = "own"       // a sale of its platform's own
	Reflected Answer = "reflected" // what its platform was sent, or shows of another one
)

// own settles what a person said is a sale: it takes nothing that was sent from other entries.
func (m *matcher) own() {
	for i, e := range m.feed.Entries {
		if e.Answer == Own {
			m.settled[i] = true
			m.verdicts[i] = Verdict{Kind: Booking, Evidence: Evidence{Kind: Answered, Span: e.Span}}
		}
	}
}

// reflected sets aside what a person said is a reflection, as that of what it was matched with.
func (m *matcher) reflected() {
	for i, e := range m.feed.Entries {
		if e.Answer != Reflected {
			continue
		}
		m.settled[i] = true
		found := m.verdicts[i].Evidence
		if found.Span.Empty() {
			found = Evidence{Span: e.Span}
		}
		found.Kind, found.Against = Answered, ""
		m.verdicts[i] = Verdict{Kind: Echo, Evidence: found}
	}
}
