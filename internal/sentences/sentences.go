// Package sentences says to people what verdicts rest on. Evidence is kept as data; these are
// its words, in console, client and case files alike.
package sentences

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"wharf/core/echo"
	"wharf/core/reading"
	"wharf/core/span"
)

// Names are what the words need to know.
type Names struct {
	Grain span.Grain
	Own   int64                 // the platform that the entry is on
	Of    func(id int64) string // the name of a platform
}

// Of says what the verdict rests on; "" where that is nothing.
func Of(e echo.Evidence, n Names) string {
	said := []string{grounds(e, n)}
	if e.Way != "" {
		said = append(said, ways[e.Way])
	}
	if e.Against != "" {
		said = append(said, against[e.Against])
	}
	return strings.Join(said, " ")
}

// grounds says what speaks for a reflection.
func grounds(e echo.Evidence, n Names) string {
	dates := Range(e.Span, n.Grain)
	whom := "this platform"
	if e.Platform != 0 && e.Platform != n.Own {
		whom = n.Of(e.Platform)
	}
	switch e.Kind {
	case echo.Sent:
		return fmt.Sprintf("It carries the UID under which Wharf sent %s to %s, from version %d on.", dates, whom, e.Version)
	case echo.OwnHere:
		return fmt.Sprintf("It reflects the booking of %s, which is on this calendar itself.", dates)
	case echo.NeverSent:
		return fmt.Sprintf("It carries a UID that Wharf gave out, but %s was never sent with it.", dates)
	case echo.TwoOrigins:
		if e.Against == echo.SpansDiffer {
			return fmt.Sprintf("Another feed has the same UID with other dates: %s is taken, which is all that either says.", dates)
		}
		return "It has the same UID as a later revision, or an exact copy, in another feed: one booking with two origins."
	case echo.GoesRound:
		return fmt.Sprintf("It overlaps %s, which came from %s and overlaps in turn what that was sent: something goes round between the two and grows each time, so Wharf sends it no further.", dates, n.Of(e.Mirrors))
	case echo.Returns:
		return fmt.Sprintf("Wharf sent %s to %s, took it back and sent it again, over and over: what is made of it there keeps turning what this looks like, so Wharf sends it no further.", dates, n.Of(e.Mirrors))
	case echo.OwnAgain:
		return "It stands beside the platform's own sale of the same dates, and is not written as a sale: the platform imports its own feed, or one that imports it."
	case echo.Ended:
		return "It was held until a time that is over, and has ended by itself."
	case echo.Refused:
		return "Somebody looked at it and rejected it: it counts for nothing until its feed says something else of it."
	case echo.Answered:
		return "Somebody said what it is."
	case echo.LeftThere:
		showed := n.Of(e.Mirrors) + " showed it too, under the same UID, and shows it no more"
		if e.Against != "" {
			return showed + ", and nothing is known of how this platform writes its own sales."
		}
		return showed + ": it comes from there."
	case echo.Unseen:
		return fmt.Sprintf("This is written as only the blocks of %s are, and no booking was ever seen that it may come from.", whom)
	case echo.Paired:
		return fmt.Sprintf("%s shows just these dates too, nothing that Wharf sent explains it, and it is not alone: the two may be linked directly.", whom)
	}
	reason, known := reasons[e.Kind]
	if !known {
		return ""
	}
	sent := fmt.Sprintf("Wharf sent %s to %s, from version %d on. ", dates, whom, e.Version)
	if e.Mirrors != 0 {
		sent = fmt.Sprintf("%s has %s, and this platform is linked to it. ", n.Of(e.Mirrors), dates)
	}
	if e.Kind == echo.Improbable {
		return sent + fmt.Sprintf(reason, oneIn(e.Chance))
	}
	return sent + reason
}

// oneIn writes a chance as people say it, by its first digit.
func oneIn(chance float64) string {
	if chance <= 0 {
		return "none"
	}
	n := 1 / chance
	step := math.Pow(10, math.Floor(math.Log10(n)))
	digits := strconv.FormatFloat(math.Round(n/step)*step, 'f', 0, 64)
	for i := len(digits) - 3; i > 0; i -= 3 {
		digits = digits[:i] + "," + digits[i:]
	}
	return "1 in " + digits
}

var reasons = map[echo.Reason]string{
	echo.KnewBefore:   "It knew of that when a reading still showed nothing there, so it did not sell it then.",
	echo.BlockForm:    "This is written as only its blocks are.",
	echo.SideBySide:   "Its own sale of the same dates stands beside this.",
	echo.Declared:     "It was there when Wharf came, and somebody said that it comes from there.",
	echo.SameStamp:    "This bears the very second of what was sent.",
	echo.Improbable:   "The chance that it sold just these dates itself, in the time that it had for it, is %s.",
	echo.Held:         "It had that, and shows the same dates.",
	echo.Counted:      "Its feed shows all that it gets, and this is one of as many as it got.",
	echo.PartSent:     "This holds those dates and more.",
	echo.OverlapsSent: "This overlaps or touches those dates.",
}

var ways = map[echo.Way]string{
	echo.Joined:  "Several were joined.",
	echo.Split:   "It was split.",
	echo.Shifted: "It is a day off.",
	echo.Widened: "It is a day longer.",
	echo.Trimmed: "Its past is cut off.",
	echo.WithOwn: "It was joined with sales of its own.",
}

var against = map[echo.Reason]string{
	echo.SalesForm:          "But it is written as only its sales are.",
	echo.OtherUID:           "But it keeps Wharf's UIDs, and this one is its own.",
	echo.MadeBefore:         "But it says that it was made before the platform got what was sent.",
	echo.DroppedMeanwhile:   "But the platform got a version without it before this was seen.",
	echo.ReadersMixed:       "But two kinds of readers come to its link, and nobody knows which is the platform.",
	echo.NotReflected:       "But its feed shows nothing of what it gets from Wharf.",
	echo.NewWay:             "But this feed was never seen to do that.",
	echo.SpansDiffer:        "Which of them is right is for the platforms to say.",
	echo.NotKnownBefore:     "But not all of it was known to the platform before.",
	echo.NothingSpeaksForIt: "It may as well be a sale of its own.",
}

// Habit says what is known of a platform; example is the title of an entry that it was learnt
// from, "" for none.
func Habit(of echo.HabitOf, value, example string) string {
	if value == echo.Off {
		return fmt.Sprintf("Nothing is concluded from %s.", strings.ToLower(strings.TrimSuffix(habitAbout(of), ".")))
	}
	form := "written as " + of.Of
	if example != "" {
		form = fmt.Sprintf("such as %q", example)
	}
	if _, title, titled := strings.Cut(of.Of, " "); titled {
		form = "called " + title
	}
	switch of.Name {
	case echo.Reflects:
		if value == echo.Yes {
			return "Its feed shows all that it gets from Wharf."
		}
		return "Its feed shows nothing of what it gets from Wharf."
	case echo.KeepsUIDs:
		if value == echo.Yes {
			return "What it shows of Wharf's has Wharf's UIDs."
		}
		return "What it shows of Wharf's has UIDs of its own."
	case echo.Delays:
		if value == "0" {
			return "It shows what it got at once."
		}
		if value == "1" {
			return "It may take a minute to show what it got."
		}
		return fmt.Sprintf("It may take %s minutes to show what it got.", value)
	case echo.Rate:
		return fmt.Sprintf("It makes at most %s sales a day.", value)
	case echo.FormOf:
		return fmt.Sprintf("Entries %s are %s.", form, map[string]string{echo.Sale: "its sales", echo.Block: "blocks", echo.Both: "sales or blocks: they look alike"}[value])
	}
	if value == echo.Yes {
		return "Of what it got from Wharf: " + habitWays[echo.Way(of.Of)] + "."
	}
	return "Not so of what it got from Wharf: " + habitWays[echo.Way(of.Of)] + "."
}

func habitAbout(of echo.HabitOf) string {
	return map[echo.HabitName]string{echo.Reflects: "whether it reflects", echo.KeepsUIDs: "whether it keeps UIDs", echo.Delays: "its delay", echo.Rate: "how often it sells", echo.FormOf: "how entries are written",
		echo.WayOf: "whether " + habitWays[echo.Way(of.Of)]}[of.Name]
}

var habitWays = map[echo.Way]string{
	echo.Joined:  "several become one",
	echo.WithOwn: "it becomes one with sales of its own",
	echo.Split:   "one becomes several",
	echo.Shifted: "it is a day off",
	echo.Widened: "it is a day longer",
	echo.Trimmed: "its past is cut off",
}

// Held says why a booking stands though its feed does not show it.
func Held(why reading.Why) string {
	switch why {
	case reading.Lost:
		return "Its feed does not show it any more, and lost much at once. It stands until somebody lets it go, or further readings agree."
	case reading.Beyond:
		return "Its feed ends before it by now, so it does not say that it is gone. It stands until somebody lets it go."
	case reading.Kept:
		return "Its feed does not show it any more. Somebody said that it stands."
	}
	return ""
}
