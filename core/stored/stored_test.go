package stored_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/stored"
)

func TestFormerNames(t *testing.T) {
	for field, want := range map[string]string{"ID": "id", "ProductionID": "production_id", "SampleRate": "sample_rate", "Take": "take", "IDOf": "id_of", "NoGood": "no_good"} {
		assert.Equal(t, want, stored.Name(field))
	}
	type plain struct {
		ProductionID string `json:"production_id"`
		Tracks       []struct {
			RecorderTrack int64 `json:"recorder_track"`
		} `json:"tracks"`
	}
	for _, b := range []string{`{"ProductionID": "x", "Tracks": [{"RecorderTrack": 9007199254740993}]}`, `{"production_id": "x", "tracks": [{"recorder_track": 9007199254740993}]}`} {
		var v plain
		assert.NoError(t, stored.Decode([]byte(b), &v))
		assert.Equal(t, "x", v.ProductionID)
		assert.EqualValues(t, 9007199254740993, v.Tracks[0].RecorderTrack, "to the last bit")
	}
	var v plain
	assert.NoError(t, stored.Decode([]byte(`{}`), &v))
	assert.Error(t, stored.Decode([]byte(`{"A": }`), &v))
	assert.Error(t, stored.Decode([]byte(`"A"`), &v))
	assert.NoError(t, stored.Decode([]byte(`null`), &v))
}
