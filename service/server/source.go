package server

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"
)

// ParseProxies reads the addresses and ranges of proxies that are believed. The error says which one
// is none.
func ParseProxies(texts []string) ([]netip.Prefix, error) {
	var all []netip.Prefix
	for _, text := range texts {
		if at, err := netip.ParseAddr(text); err == nil {
			all = append(all, netip.PrefixFrom(at, at.BitLen()))
		} else if prefix, err := netip.ParsePrefix(text); err == nil {
			all = append(all, prefix.Masked())
		} else {
			return nil, fmt.Errorf("%q is no address or range of a proxy: write it as 10.0.0.5 or 10.0.0.0/8", text)
		}
	}
	return all, nil
}

// sourceOf is the address that a request comes from: that of the connection, or, where that is a
// trusted proxy's, the last one in X-Forwarded-For that is not. What stands before that one is only
// somebody's word.
func (s *server) sourceOf(r *http.Request) string {
	at, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	if len(s.Proxies) == 0 || r.Header["X-Forwarded-For"] == nil {
		return at // as nearly always
	}
	passed := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
	for len(passed) > 0 && s.trusted(at) {
		before := strings.TrimSpace(passed[len(passed)-1])
		passed = passed[:len(passed)-1]
		if _, err := netip.ParseAddr(before); err != nil {
			break
		}
		at = before
	}
	return at
}

func (s *server) trusted(address string) bool {
	at, err := netip.ParseAddr(address)
	return err == nil && slices.ContainsFunc(s.Proxies, func(p netip.Prefix) bool { return p.Contains(at.Unmap()) })
}

// source is sourceOf the request of an operation; "" when there is none.
func (s *server) source(ctx context.Context) string {
	if g, ok := ctx.(*gin.Context); ok {
		return s.sourceOf(g.Request)
	}
	return ""
}
