// Package fetch reads one URL: guarded (no addresses of the inner network unless
// allowed), polite (conditional, one retry, heeds Retry-After), and bounded in size,
// time and redirects.
//
// In: a link and what is known from the last good reading. Out: a Result, or an *Error
// with a sentence that a coordinator understands and the remedy.
package fetch

import (
	"compress/gzip"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"code.dny.dev/ssrf"
	"github.com/hashicorp/go-retryablehttp"
)

// Settings are the limits; the zero value of each field stands for its default.
type Settings struct {
	Timeout      time.Duration // for the whole reading; default 30 s
	MaxBytes     int64         // of the document, unpacked; default 20 MiB
	MaxRedirects int           // default 5
	Allowed      []Private     // addresses of the inner network that may be read
	UserAgent    string        // default "Wharf"
	Polite       Polite
	Now          func() time.Time
}

// Private is an address range and port range of the inner network that may be read.
type Private struct {
	Range    netip.Prefix
	From, To uint16
}

// ParsePrivate reads "127.0.0.0/8:8471" or "127.0.0.0/8:8471-8479".
func ParsePrivate(s string) (Private, error) {
	bad := fmt.Errorf("%q is not a range and port: write it as 127.0.0.0/8:8471 or 10.0.0.5/32:8000-8099", s)
	i := strings.LastIndex(s, ":")
	if i < 0 {
		return Private{}, bad
	}
	prefix, err := netip.ParsePrefix(strings.Trim(s[:i], "[]"))
	if err != nil {
		return Private{}, bad
	}
	low, high, ranged := strings.Cut(s[i+1:], "-")
	if !ranged {
		high = low
	}
	from, errFrom := strconv.ParseUint(low, 10, 16)
	to, errTo := strconv.ParseUint(high, 10, 16)
	if errFrom != nil || errTo != nil || from > to {
		return Private{}, bad
	}
	return Private{prefix, uint16(from), uint16(to)}, nil
}

func (p Private) holds(a netip.AddrPort) bool {
	return p.Range.Contains(a.Addr().Unmap()) && p.From <= a.Port() && a.Port() <= p.To
}

// Known is what the last good reading gave, for a conditional request.
type Known struct{ ETag, LastModified string }

// Result is a complete answer.
type Result struct {
	Status       int
	NotModified  bool // nothing new since Known
	Body         []byte
	ETag         string
	LastModified string
	RetryAfter   time.Duration // how long the platform asks to be left alone
	// FreshFor is how long the platform says that what it gave holds (RFC 9111, 4.2.1); 0: it does not say.
	FreshFor time.Duration
	// Moved is where the link was passed on to for good; "" where it was not, or not only for good.
	Moved string
	// Inside is the name of the calendar that was unpacked, where an archive came.
	Inside string
}

// Error is a reading that failed: what happened and what to do about it.
type Error struct {
	Status     int // 0 when there was no answer
	RetryAfter time.Duration
	// Untrusted: who answers is not who the link names, by its certificate.
	Untrusted bool
	Message   string
}

func (e *Error) Error() string { return e.Message }

// Fetcher reads links.
type Fetcher struct {
	settings Settings
	client   *retryablehttp.Client
	hosts    *hosts
}

var (
	errGuarded   = errors.New("address of the inner network")
	errRedirects = errors.New("too many redirects")
	errOpened    = errors.New("passed on from https to http")
)

// New returns a Fetcher.
func New(s Settings) *Fetcher {
	s.Timeout = orDefault(s.Timeout, 30*time.Second)
	s.MaxBytes = orDefault(s.MaxBytes, 20<<20)
	s.MaxRedirects = orDefault(s.MaxRedirects, 5)
	s.UserAgent = orDefault(s.UserAgent, "Wharf")
	guard := ssrf.New(ssrf.WithAnyPort())
	dialer := &net.Dialer{Timeout: 10 * time.Second, Control: func(network, address string, conn syscall.RawConn) error {
		if at, err := netip.ParseAddrPort(address); err == nil {
			for _, p := range s.Allowed {
				if p.holds(at) {
					return nil
				}
			}
		}
		if err := guard.Safe(network, address, conn); err != nil {
			return errors.Join(errGuarded, err)
		}
		return nil
	}}
	client := retryablehttp.NewClient()
	client.Logger = nil
	client.RetryMax = 1
	client.RetryWaitMin, client.RetryWaitMax = 200*time.Millisecond, time.Second
	client.CheckRetry = retryBrokenConnection
	client.ErrorHandler = retryablehttp.PassthroughErrorHandler
	client.HTTPClient = &http.Client{
		Transport: &http.Transport{DialContext: dialer.DialContext, TLSHandshakeTimeout: 10 * time.Second, ResponseHeaderTimeout: s.Timeout,
			MaxIdleConnsPerHost: 2, IdleConnTimeout: 30 * time.Second, ForceAttemptHTTP2: true},
		CheckRedirect: func(r *http.Request, via []*http.Request) error {
			r.Header.Del("Referer") // the link is a secret of whoever gave it, and of its platform
			switch {
			case len(via) > s.MaxRedirects:
				return errRedirects
			case r.URL.Scheme != "https" && via[len(via)-1].URL.Scheme == "https":
				return errOpened
			}
			return nil
		},
	}
	return &Fetcher{s, client, newHosts(s.Polite)}
}

func orDefault[T comparable](v, otherwise T) T {
	var zero T
	if v == zero {
		return otherwise
	}
	return v
}

// retryBrokenConnection tries again only when a connection broke, never after an answer,
// a time-out or a refusal.
func retryBrokenConnection(ctx context.Context, resp *http.Response, err error) (bool, error) {
	if err == nil || resp != nil || ctx.Err() != nil {
		return false, nil
	}
	return errors.Is(err, io.EOF) || errors.Is(err, syscall.ECONNRESET), nil
}

// maxLink is the most bytes of a link.
const maxLink = 2000

// ParseLink checks a link and returns it in the form in which it is read: webcal is
// https by another name.
func ParseLink(link string) (*url.URL, error) {
	link = strings.TrimSpace(link)
	u, err := url.Parse(link)
	if err != nil {
		return nil, errors.New("this is not a link: copy the whole address of the feed, beginning with https:// or webcal://")
	}
	switch strings.ToLower(u.Scheme) {
	case "https", "http":
	case "webcal", "webcals":
		u.Scheme = "https"
	default:
		return nil, errors.New("this is not a link to a feed: it must begin with https://, http:// or webcal://")
	}
	if u.Hostname() == "" {
		return nil, errors.New("the link names no server: copy the whole address of the feed")
	}
	if len(u.String()) > maxLink {
		return nil, fmt.Errorf("the link is longer than %d characters: copy only the address of the feed", maxLink)
	}
	return u, nil
}

// WithPassword puts a user name and a password into a link.
func WithPassword(link, user, password string) (string, error) {
	if user == "" && password == "" {
		return link, nil
	}
	u, err := url.Parse(strings.TrimSpace(link))
	if err != nil || u.Host == "" {
		return link, nil // which is said when it is read
	}
	if user == "" {
		return "", errors.New("a password without a user name: give both, or none")
	}
	u.User = url.UserPassword(user, password)
	return u.String(), nil
}

// moved is where a request was passed on to for good (301, 308), "" where any step was not.
func moved(r *http.Request) string {
	at := r.URL.String()
	if r.Response == nil {
		return ""
	}
	for ; r.Response != nil; r = r.Response.Request {
		if code := r.Response.StatusCode; code != http.StatusMovedPermanently && code != http.StatusPermanentRedirect {
			return ""
		}
	}
	return at
}

// freshFor is how long an answer holds by what it says itself; 0 where it does not say.
func freshFor(h http.Header) time.Duration {
	for _, value := range h.Values("Cache-Control") {
		for directive := range strings.SplitSeq(value, ",") {
			name, of, _ := strings.Cut(strings.TrimSpace(directive), "=")
			switch strings.ToLower(name) {
			case "no-store", "no-cache":
				return 0
			case "max-age":
				seconds, err := strconv.Atoi(strings.Trim(of, `"`))
				if err != nil || seconds < 0 {
					return 0
				}
				return time.Duration(min(seconds, 366*24*60*60)) * time.Second
			}
		}
	}
	expires, err := http.ParseTime(h.Get("Expires"))
	date, errDate := http.ParseTime(h.Get("Date"))
	if err != nil || errDate != nil {
		return 0
	}
	return max(expires.Sub(date), 0)
}

// MaxBytes is how large a feed may be.
func (f *Fetcher) MaxBytes() int64 { return f.settings.MaxBytes }

// Enter waits until the host of a link may be asked once more; leave says that it was. The error is that
// of the context, or that its time would not be enough.
func (f *Fetcher) Enter(ctx context.Context, link string) (leave func(), err error) {
	u, err := url.Parse(link)
	if err != nil {
		return func() {}, nil // which is said when it is read
	}
	return f.hosts.enter(ctx, u.Hostname())
}

// Get reads the link; of an archive, the calendar that its fragment names, or the only one. A body that is longer than allowed or breaks off is an error.
func (f *Fetcher) Get(ctx context.Context, link string, known Known) (Result, error) {
	ctx, cancel := context.WithTimeout(ctx, f.settings.Timeout)
	defer cancel()
	req, err := retryablehttp.NewRequestWithContext(ctx, http.MethodGet, link, nil)
	if err != nil {
		return Result{}, &Error{Message: "the link cannot be read: copy the whole address of the feed again"}
	}
	req.Header.Set("User-Agent", f.settings.UserAgent)
	req.Header.Set("Accept", "text/calendar, */*;q=0.5")
	if known.ETag != "" {
		req.Header.Set("If-None-Match", known.ETag)
	}
	if known.LastModified != "" {
		req.Header.Set("If-Modified-Since", known.LastModified)
	}
	resp, err := f.client.Do(req)
	if err != nil {
		return Result{}, f.explain(err)
	}
	defer resp.Body.Close()
	result := Result{Status: resp.StatusCode, ETag: resp.Header.Get("ETag"), LastModified: resp.Header.Get("Last-Modified"),
		RetryAfter: f.retryAfter(resp.Header.Get("Retry-After"))}
	switch {
	case resp.StatusCode == http.StatusNotModified && known != Known{}:
		result.NotModified = true
		return result, nil
	case resp.StatusCode != http.StatusOK:
		return Result{}, &Error{Status: resp.StatusCode, RetryAfter: result.RetryAfter, Message: statusSentence(resp.StatusCode)}
	}
	result.Body, err = io.ReadAll(io.LimitReader(resp.Body, f.settings.MaxBytes+1))
	if err != nil {
		failed := f.explain(err)
		failed.Status = resp.StatusCode
		return Result{}, failed
	}
	if int64(len(result.Body)) > f.settings.MaxBytes {
		return Result{}, &Error{Status: resp.StatusCode, Message: fmt.Sprintf("the feed is larger than %d MB, which no calendar of bookings is: check that this is the right link", f.settings.MaxBytes>>20)}
	}
	result.Moved, result.FreshFor = moved(resp.Request), freshFor(resp.Header)
	return f.unpacked(result, req.URL.Fragment)
}

// unpacked is a result with the calendar that is in it, where it is an archive that tells which.
func (f *Fetcher) unpacked(result Result, inside string) (Result, error) {
	calendar, name, err := Unpack(result.Body, inside, f.settings.MaxBytes)
	if err != nil {
		return Result{}, err
	}
	if calendar != nil {
		result.Body, result.Inside = calendar, name
	}
	return result, nil
}

// explain says what a failed request means for the person who gave the link.
func (f *Fetcher) explain(err error) *Error {
	var dns *net.DNSError
	var cert *tls.CertificateVerificationError
	var record tls.RecordHeaderError
	untrusted := false
	message := "the platform broke the connection off: it is read again at the next time"
	switch {
	case errors.Is(err, errGuarded):
		message = "the link leads to an address of the inner network, which is not read unless the setting allow-private names it"
	case errors.Is(err, errRedirects):
		message = fmt.Sprintf("the link is passed on more than %d times, perhaps in a circle: copy it again from the platform", f.settings.MaxRedirects)
	case errors.Is(err, errOpened):
		message = "the link is passed on from https to http, where anybody on the way can read and change it: ask the platform for a link that stays with https"
	case saysAny(err, "unsupported protocol scheme", "failed to parse Location header", "no Host in request URL"):
		message = "the link is passed on to what is no address of a feed: copy it again from the platform"
	case errors.Is(err, gzip.ErrHeader), errors.Is(err, gzip.ErrChecksum):
		message = "the platform says that it packs the feed, and does not: ask the platform"
	case saysAny(err, "server response headers exceeded", "malformed HTTP", "malformed chunked encoding", "invalid byte in chunk length"):
		message = "the platform's answer is not in order: check that this is the right link, or ask the platform"
	case errors.Is(err, context.DeadlineExceeded), isTimeout(err):
		message = fmt.Sprintf("the platform did not answer in full within %s: it is read again at the next time", f.settings.Timeout)
	case errors.As(err, &dns):
		message = fmt.Sprintf("there is no server by the name %s: check the link for typing errors", dns.Name)
	case errors.As(err, &cert):
		untrusted = true
		message = "the platform's certificate is not valid, so the feed may not be what it says: ask the platform"
	case errors.As(err, &record), saysAny(err, "server gave HTTP response to HTTPS client"):
		message = "the server does not speak https: if the platform gives the link with http://, use that"
	case errors.Is(err, syscall.ECONNREFUSED):
		message = "nothing answers at that address: check the link, or wait if the platform is down"
	}
	return &Error{Untrusted: untrusted, Message: message}
}

// saysAny reports whether an error, of a kind that has no name, says one of these.
func saysAny(err error, words ...string) bool {
	return slices.ContainsFunc(words, func(w string) bool { return strings.Contains(err.Error(), w) })
}

func isTimeout(err error) bool {
	var timeout net.Error
	return errors.As(err, &timeout) && timeout.Timeout()
}

func statusSentence(status int) string {
	switch {
	case status == http.StatusUnauthorized:
		return "the platform asks for a user name and password (401): put them into the link as https://user:password@…, or copy the feed's secret link"
	case status == http.StatusForbidden:
		return "the platform refuses the link (403): check that the feed is published, and copy its link again"
	case status == http.StatusNotFound, status == http.StatusGone:
		return fmt.Sprintf("there is no feed at this link any more (%d): copy the link again from the platform", status)
	case status == http.StatusTooManyRequests:
		return "the platform asks to be read less often (429): choose a longer interval"
	case status >= 500:
		return fmt.Sprintf("the platform has a fault of its own (%d): it is read again at the next time", status)
	}
	return fmt.Sprintf("the platform answered with the status %d instead of a calendar: check the link", status)
}

// retryAfter reads the header's two forms (RFC 9110 section 10.2.3), at most a day.
func (f *Fetcher) retryAfter(value string) time.Duration {
	const most = 24 * time.Hour
	wait := time.Duration(0)
	if seconds, err := strconv.ParseInt(value, 10, 64); err == nil || errors.Is(err, strconv.ErrRange) {
		wait = time.Duration(max(0, min(seconds, int64(most/time.Second)))) * time.Second
	} else if at, err := http.ParseTime(value); err == nil && f.settings.Now != nil {
		wait = at.Sub(f.settings.Now())
	}
	return max(0, min(wait, most))
}
