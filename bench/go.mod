module wharf/bench

go 1.26.0

replace wharf => ../

require (
	github.com/arran4/golang-ical v0.3.4
	github.com/emersion/go-ical v0.0.0-20250329121855-f41e73efc392
	github.com/teambition/rrule-go v1.8.2
	wharf v0.0.0
)
