package store

import (
	"os"
	"regexp"
	"slices"
	"testing"

	"github.com/riverqueue/river/rivertype"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The statements on River's own tables were read against one version of it. With another: look whether its tables (rivermigrate) and
// what its client does with a job's arguments, state and metadata are the same still, then say so in river.go.
func TestStatementsOnTheQueueAreOfTheVersionThatIsUsed(t *testing.T) {
	mod, err := os.ReadFile("../../go.mod")
	require.NoError(t, err)
	used := regexp.MustCompile(`github\.com/riverqueue/river (v\S+)`).FindSubmatch(mod)
	require.NotNil(t, used)
	assert.Equal(t, riverVersion, string(used[1]))

	source, err := os.ReadFile("river.go")
	require.NoError(t, err)
	states := regexp.MustCompile(`'(available|scheduled|retryable|running)'`).FindAllSubmatch(source, -1)
	require.NotEmpty(t, states)
	for _, s := range states {
		assert.True(t, slices.Contains(rivertype.JobStates(), rivertype.JobState(s[1])), "%s", s[1])
	}
	// And they stand in that file alone.
	all, err := os.ReadDir(".")
	require.NoError(t, err)
	for _, f := range all {
		b, err := os.ReadFile(f.Name())
		if err == nil && f.Name() != "river.go" && f.Name() != "river_test.go" {
			assert.NotContains(t, string(b), "river_job", f.Name())
		}
	}
}
