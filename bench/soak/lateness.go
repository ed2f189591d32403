package main

import (
	"fmt"
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"
)

// late is how late readings began, as a histogram.
type late struct {
	bounds []float64 // seconds
	upTo   []float64 // how many began within the bound
	count  int
}

// metric is the histogram that the service keeps of it.
const metric = "wharf_readings_late_seconds"

// lateness adds up what the services have counted.
func lateness(bases ...string) (l late, err error) {
	sums := map[float64]float64{}
	for _, base := range bases {
		resp, err := http.Get(base + "/metrics")
		if err != nil {
			return l, err
		}
		text, err := io.ReadAll(resp.Body)
		_ = resp.Body.Close()
		if err != nil {
			return l, err
		}
		for line := range strings.Lines(string(text)) {
			name, value, _ := strings.Cut(strings.TrimSpace(line), " ")
			n, err := strconv.ParseFloat(value, 64)
			if err != nil {
				continue // a comment
			}
			if bound, is := strings.CutPrefix(name, metric+`_bucket{le="`); is {
				if b, err := strconv.ParseFloat(strings.TrimSuffix(bound, `"}`), 64); err == nil { // also of "+Inf"
					sums[b] += n
				}
			}
			if name == metric+"_count" {
				l.count += int(n)
			}
		}
	}
	if l.count == 0 {
		return l, fmt.Errorf("the services have counted no reading: %s is missing", metric)
	}
	for b := range sums {
		l.bounds = append(l.bounds, b)
	}
	slices.Sort(l.bounds)
	for _, b := range l.bounds {
		l.upTo = append(l.upTo, sums[b])
	}
	return l, nil
}

// at is within what time a share of the readings began: the bound of the step in which that lies.
func (l late) at(share float64) string {
	for i, n := range l.upTo {
		if n >= share*float64(l.count) {
			if i == len(l.bounds)-1 {
				return "over " + time.Duration(l.bounds[max(i-1, 0)]*float64(time.Second)).String()
			}
			return "at most " + time.Duration(l.bounds[i]*float64(time.Second)).String()
		}
	}
	return "unknown"
}
