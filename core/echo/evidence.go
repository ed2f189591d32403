package echo

import "wharf/core/span"

// Evidence is what a verdict rests on, as data: sentences are made of it where it is shown,
// so that new wording changes nothing that is stored. The zero Evidence is none.
type Evidence struct {
	Kind Reason `json:"kind,omitempty"`
	// Span is what was sent with the UID or, where nothing was, what the entry shows.
	Span span.Span `json:"span,omitzero"`
	// Platform is whom it was sent to, from Version on.
	Platform int64 `json:"platform,omitempty"`
	Version  int64 `json:"version,omitempty"`
}

// Reason is the kind of an Evidence.
type Reason string

const (
	// Sent: its UID is one that we sent to Platform with Span, from Version on.
	Sent Reason = "sent"
	// OwnHere: its UID is that under which a booking is published that is on this calendar
	// itself, where it takes Span.
	OwnHere Reason = "own_here"
	// NeverSent: its UID is one that we gave out, and Span was never sent with it.
	NeverSent Reason = "never_sent"
	// TwoOrigins: another feed has it too, as a later revision or an exact copy.
	TwoOrigins Reason = "two_origins"
)
