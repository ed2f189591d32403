package fetch_test

import (
	"context"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strconv"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/dns/dnsmessage"

	"wharf/service/fetch"
)

// names is a DNS server that gives other addresses at each look-up of a name: those of the next answer, and
// from then on those of the last.
type names struct {
	mu      sync.Mutex
	answers [][]string
	asked   int
}

func (n *names) say(answers ...[]string) {
	n.mu.Lock()
	defer n.mu.Unlock()
	n.answers, n.asked = answers, 0
}

// next are the addresses of the next look-up.
func (n *names) next() []string {
	n.mu.Lock()
	defer n.mu.Unlock()
	now := n.answers[min(n.asked, len(n.answers)-1)]
	n.asked++
	return now
}

// serve answers one question.
func (n *names) serve(question []byte) []byte {
	var m dnsmessage.Message
	if m.Unpack(question) != nil || len(m.Questions) != 1 {
		return nil
	}
	m.Response, m.Authoritative = true, true
	m.Additionals = nil
	if q := m.Questions[0]; q.Type == dnsmessage.TypeA {
		for _, a := range n.next() {
			m.Answers = append(m.Answers, dnsmessage.Resource{Header: dnsmessage.ResourceHeader{Name: q.Name, Type: q.Type, Class: q.Class, TTL: 0},
				Body: &dnsmessage.AResource{A: netip.MustParseAddr(a).As4()}})
		}
	}
	answer, err := m.Pack()
	if err != nil {
		return nil
	}
	return answer
}

// useNames has all names of this process looked up there.
func useNames(t *testing.T) *names {
	n := &names{}
	conn, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	go func() {
		question := make([]byte, 2048)
		for {
			size, from, err := conn.ReadFrom(question)
			if err != nil {
				return // it is closed
			}
			_, _ = conn.WriteTo(n.serve(question[:size]), from)
		}
	}()
	was := net.DefaultResolver
	net.DefaultResolver = &net.Resolver{PreferGo: true, Dial: func(ctx context.Context, _, _ string) (net.Conn, error) {
		return (&net.Dialer{}).DialContext(ctx, "udp", conn.LocalAddr().String())
	}}
	t.Cleanup(func() {
		net.DefaultResolver = was
		require.NoError(t, conn.Close())
	})
	return n
}

// TestNamesThatChange: whatever a name's addresses are, and however they change between one look-up and the
// next, the address that is connected to is the one that is judged.
func TestNamesThatChange(t *testing.T) {
	n := useNames(t)
	var inner atomic.Int64
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	_, port, err := net.SplitHostPort(listener.Addr().String())
	require.NoError(t, err)
	platform := &httptest.Server{Listener: listener, Config: &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Connection", "close") // so that the name is looked up each time
		_, _ = w.Write([]byte("text"))
	})}}
	platform.Start()
	t.Cleanup(platform.Close)
	closed, err := net.Listen("tcp", "127.0.0.2:"+port) // on the inner network, at the same port
	require.NoError(t, err)
	secret := &httptest.Server{Listener: closed, Config: &http.Server{Handler: http.HandlerFunc(func(http.ResponseWriter, *http.Request) { inner.Add(1) })}}
	secret.Start()
	t.Cleanup(secret.Close)
	number, err := strconv.Atoi(port)
	require.NoError(t, err)
	allowed, err := fetch.ParsePrivate("127.0.0.1/32:" + strconv.Itoa(number))
	require.NoError(t, err)
	f := fetch.New(fetch.Settings{Allowed: []fetch.Private{allowed}})
	link := "http://calendar.example:" + port + "/ketch.ics"
	open, shut := []string{"127.0.0.1"}, []string{"127.0.0.2"}
	for _, tc := range []struct {
		name    string
		answers [][]string
		gets    []bool
	}{
		{"an address that may be read", [][]string{open}, []bool{true, true}},
		{"one of the inner network", [][]string{shut}, []bool{false}},
		{"first the one, then the other", [][]string{open, shut}, []bool{true, false, false}},
		{"and back", [][]string{shut, open}, []bool{false, true}},
		{"both at once", [][]string{{"127.0.0.2", "127.0.0.1"}}, []bool{true}},
		{"both, the other way round", [][]string{{"127.0.0.1", "127.0.0.2"}}, []bool{true}},
		{"this machine by other names", [][]string{{"0.0.0.0"}, {"10.0.0.7"}, {"169.254.169.254"}, {"192.168.1.1"}, {"172.16.0.1"}, {"100.64.0.1"}}, []bool{false, false, false, false, false, false}},
	} {
		n.say(tc.answers...)
		for i, gets := range tc.gets {
			got, err := f.Get(ctx, link, fetch.Known{})
			if gets {
				require.NoError(t, err, "%s, look-up %d", tc.name, i)
				assert.Equal(t, "text", string(got.Body), tc.name)
			} else {
				assert.ErrorContains(t, err, "inner network", "%s, look-up %d", tc.name, i)
			}
		}
		assert.Zero(t, inner.Load(), "%s: nobody on the inner network is asked", tc.name)
	}
}
