package judge_test

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/judge"
)

// TestCases: every case file comes out as it says.
func TestCases(t *testing.T) {
	files, err := filepath.Glob("testdata/cases/*.json")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, name := range files {
		t.Run(strings.TrimSuffix(filepath.Base(name), ".json"), func(t *testing.T) {
			file, err := os.Open(name)
			require.NoError(t, err)
			defer file.Close()
			c, err := judge.ReadCase(file)
			require.NoError(t, err)
			out, err := c.Run(context.Background())
			require.NoError(t, err)
			require.NotEmpty(t, c.Want)
			assert.Empty(t, out.Differs(c), c.About)
		})
	}
}
