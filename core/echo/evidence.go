package echo

import "wharf/core/span"

// Evidence is what a verdict rests on, as data: sentences are made of it where it is shown,
// so that new wording changes nothing that is stored. The zero Evidence is none.
type Evidence struct {
	Kind Reason `json:"kind,omitempty"`
	// Against is what speaks for an own sale all the same; "" for nothing.
	Against Reason `json:"against,omitempty"`
	// Way is how the entry differs from what was sent; "" for not at all.
	Way Way `json:"way,omitempty"`
	// Span is what was sent or, where nothing was, what the entry shows.
	Span span.Span `json:"span,omitzero"`
	// Platform is whom it was sent to, from Version on.
	Platform int64 `json:"platform,omitempty"`
	Version  int64 `json:"version,omitempty"`
	// Item is the UID of what was sent, the first one of several.
	Item string `json:"item,omitempty"`
	// PickedUp is when the platform got it, and Dropped when it got a version without it, in
	// Unix seconds; 0: never.
	PickedUp int64 `json:"pickedUp,omitempty"`
	Dropped  int64 `json:"dropped,omitempty"`
	// Mirrors is the platform whose own it reflects, where that is not through us, and by way of
	// which it goes round.
	Mirrors int64 `json:"mirrors,omitempty"`
	// Chance is that of an own sale of just this span in the time that there was for it; 0:
	// not reckoned.
	Chance float64 `json:"chance,omitempty"`
	// Live: what was sent is published still.
	Live bool `json:"live,omitempty"`
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

	// KnewBefore: the platform knew of it when a reading still showed nothing there.
	KnewBefore Reason = "knew_before"
	// BlockForm: it is written as only the blocks of this feed are.
	BlockForm Reason = "block_form"
	// SideBySide: the feed shows its platform's own sale of the same span beside it.
	SideBySide Reason = "side_by_side"
	// SameStamp: it was made or stamped at the very second at which what was sent was.
	SameStamp Reason = "same_stamp"
	// Improbable: the Chance of an own sale is below the calendar's limit.
	Improbable Reason = "improbable"
	// Counted: its feed shows every item that its platform was sent, and there are so many of the span.
	Counted Reason = "counted"
	// Held: the platform held it, and nothing more speaks for a reflection.
	Held Reason = "held"
	// Paired: another platform shows the same span, nothing that we sent explains it, and there
	// are more such pairs: the platforms may be linked directly.
	Paired Reason = "paired"
	// OwnAgain: it stands beside its platform's own sale of Span, and is not written as a sale.
	OwnAgain Reason = "own_again"
	// Ended: it was held until a time that is over. Refused: somebody looked at it, and rejected it.
	Ended   Reason = "ended"
	Refused Reason = "refused"
	// Declared: it was there when Wharf came, and a person said that its feed mirrors the other.
	Declared Reason = "declared"
	// LeftThere: another platform showed it under the same UID until it went there, and this one is
	// not written as a sale.
	LeftThere Reason = "left_there"
	// Unseen: it is written as only the blocks of its feed are, which mirrors another, and nothing that
	// was seen there is it.
	Unseen Reason = "unseen"
	// Answered: a person said what it is.
	Answered Reason = "answered"
	// PartSent: it holds whole items that were sent, and more.
	PartSent Reason = "part_sent"

	// OverlapsSent: it overlaps or touches something that the platform held, and is not written as sales are.
	OverlapsSent Reason = "overlaps_sent"

	// GoesRound: it overlaps what was sent of the platform Mirrors, which overlaps what that was sent,
	// and so on: something goes round between platforms, and grows or moves at each turn.
	GoesRound Reason = "goes_round"
	// Returns: it was sent to the platform Mirrors, taken back and sent again, over and over, though nobody changed it.
	Returns Reason = "returns"

	// SalesForm: it is written as only the sales of this feed are.
	SalesForm Reason = "sales_form"
	// OtherUID: the platform keeps our UIDs, and this one is its own.
	OtherUID Reason = "other_uid"
	// MadeBefore: it says that it was made before the platform got what was sent.
	MadeBefore Reason = "made_before"
	// DroppedMeanwhile: the platform got a version without it before the first reading that
	// showed it.
	DroppedMeanwhile Reason = "dropped_meanwhile"
	// ReadersMixed: two kinds of readers come to the link, and nobody knows which is the platform.
	ReadersMixed Reason = "readers_mixed"
	// NotReflected: its feed shows nothing of what its platform is sent.
	NotReflected Reason = "not_reflected"
	// NewWay: it differs from what was sent in a way that is not known of this feed.
	NewWay Reason = "new_way"
	// SpansDiffer: another platform has it too, with other dates; Span is what both say together.
	SpansDiffer Reason = "spans_differ"
	// NotKnownBefore: not all that it holds was known to the platform before.
	NotKnownBefore Reason = "not_known_before"
	// NothingSpeaksForIt: an own sale is as likely.
	NothingSpeaksForIt Reason = "nothing_for_it"
)

// Ways are all of them; Trimmed needs not be learnt.
var Ways = []Way{Joined, WithOwn, Split, Shifted, Widened, Trimmed}

// Way is how a reflection differs from what was sent.
type Way string

const (
	Joined  Way = "joined"   // items end to end, or overlapping, as one
	WithOwn Way = "with_own" // items and own sales as one
	Split   Way = "split"    // an item in pieces
	Shifted Way = "shifted"  // a day earlier or later
	Widened Way = "widened"  // a day more at one end
	Trimmed Way = "trimmed"  // the past cut off
)

// more reports whether the reflection takes time that was not sent.
func (w Way) more() bool { return w == Shifted || w == Widened }
