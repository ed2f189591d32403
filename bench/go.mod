module wharf/bench

go 1.26.0

replace wharf => ../

require (
	github.com/arran4/golang-ical v0.3.4
	github.com/emersion/go-ical v0.0.0-20250329121855-f41e73efc392
	github.com/go-sql-driver/mysql v1.10.1
	github.com/oapi-codegen/runtime v1.8.0
	github.com/teambition/rrule-go v1.8.2
	wharf v0.0.0
)

require (
	filippo.io/edwards25519 v1.2.0 // indirect
	github.com/apapsch/go-jsonmerge/v2 v2.0.0 // indirect
	github.com/google/uuid v1.6.0 // indirect
	golang.org/x/sys v0.49.0 // indirect
)
