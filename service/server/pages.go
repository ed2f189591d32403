package server

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strconv"

	"github.com/gin-gonic/gin"
)

// pageOf returns the part of a list that a request asks for, and the Link to the next part (RFC
// 8288), "" at the end. A list that is asked for whole keeps its order; parts go by ID, so that
// what is added or removed meanwhile makes nothing come twice or not at all.
func pageOf[T any](ctx context.Context, all []T, limit *int, after *int64, id func(T) int64) ([]T, string) {
	if limit == nil && after == nil {
		return all, ""
	}
	all = slices.SortedFunc(slices.Values(all), func(a, b T) int { return cmp.Compare(id(a), id(b)) })
	if after != nil {
		first, _ := slices.BinarySearchFunc(all, *after+1, func(v T, least int64) int { return cmp.Compare(id(v), least) })
		all = all[first:]
	}
	if limit == nil || len(all) <= *limit {
		return all, ""
	}
	all = all[:*limit]
	return all, next(ctx, id(all[*limit-1]))
}

// next is the request at hand for what comes after an ID.
func next(ctx context.Context, after int64) string {
	g, ok := ctx.Value(gin.ContextKey).(*gin.Context)
	if !ok {
		return ""
	}
	query := g.Request.URL.Query()
	query.Set("after", strconv.FormatInt(after, 10))
	return fmt.Sprintf(`<%s?%s>; rel="next"`, g.Request.URL.Path, query.Encode())
}
