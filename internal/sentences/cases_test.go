package sentences_test

import (
	"context"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/judge"
	"wharf/core/span"
	"wharf/internal/sentences"
)

var update = flag.Bool("update", false, "write the golden file anew")

// TestEveryCase: what each case's verdicts rest on, in sentences, is what the golden file has. It is
// there to be read: no sentence that a coordinator would not understand, none that says more than
// the facts do.
func TestEveryCase(t *testing.T) {
	files, err := filepath.Glob("../../core/judge/testdata/cases/*.json")
	require.NoError(t, err)
	require.Greater(t, len(files), 120)
	var text strings.Builder
	for _, file := range files {
		in, err := os.Open(file)
		require.NoError(t, err)
		c, err := judge.ReadCase(in)
		require.NoError(t, err, file)
		require.NoError(t, in.Close())
		out, err := c.Run(context.Background())
		require.NoError(t, err, file)
		fmt.Fprintf(&text, "%s\n%s\n", strings.TrimSuffix(filepath.Base(file), ".json"), c.About)
		for _, v := range out.Verdicts {
			if _, wanted := c.Want[v.Name]; !wanted {
				continue
			}
			names := sentences.Names{Grain: span.Grain(c.Calendar.Grain), Of: func(id int64) string { return out.Platforms[id-1] }}
			for i, p := range out.Platforms {
				if p == v.Platform {
					names.Own = int64(i + 1)
				}
			}
			said := sentences.Of(v.Evidence, names)
			if v.Kind != judge.Counts {
				assert.NotEmpty(t, said, "%s: %s is %s, and nobody is told why", file, v.Name, v.Kind)
			}
			fmt.Fprintf(&text, "  %s on %s, %s to %s: %s. %s\n", v.Name, v.Platform, v.Start, v.End, v.Kind, said)
		}
		text.WriteString("\n")
	}
	if *update {
		require.NoError(t, os.WriteFile("testdata/cases.txt", []byte(text.String()), 0o644))
	}
	golden, err := os.ReadFile("testdata/cases.txt")
	require.NoError(t, err)
	assert.Equal(t, string(golden), text.String(), "go test ./internal/sentences -update, then read what differs")
}

// TestTitle: a title that is written from right to left turns nothing around it.
func TestTitle(t *testing.T) {
	for title, want := range map[string]string{"": "Untitled", "Lindqvist party": "Lindqvist party", "<b>Osei</b>": "<b>Osei</b>", "حفل 12": "\u2068حفل 12\u2069", "\u202eecnad\x1b": "ecnad", "\u202e": "Untitled"} {
		assert.Equal(t, want, sentences.Title(title, "Untitled"))
	}
}
