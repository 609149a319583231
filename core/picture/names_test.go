package picture

import (
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Our own parser finds the names that another program wrote, whichever way the container has them.
func TestSoundNames(t *testing.T) {
	dir := t.TempDir()
	for _, kind := range []string{"mov", "mp4"} {
		path := filepath.Join(dir, "a."+kind)
		b, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc=size=64x48:d=1", "-f", "lavfi", "-i", "sine=d=1", "-map", "0:v", "-map", "1:a", "-map", "1:a", "-map", "1:a", "-c:a", "aac",
			"-metadata:s:a:0", "handler_name=Full mix", "-metadata:s:a:2", "handler_name=Dialog ü", path).CombinedOutput()
		require.NoError(t, err, "%s", b)
		names, err := SoundNames(path)
		require.NoError(t, err)
		assert.Equal(t, []string{"Full mix", "", "Dialog ü"}, names, kind)
	}
	_, err := SoundNames(filepath.Join(dir, "none.mov"))
	assert.Error(t, err)
}
