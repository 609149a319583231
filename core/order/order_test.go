package order

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/snag"
)

// Every state is come to and, but for what is proven, left; what a person can do in each is written out here once more.
func TestTheTable(t *testing.T) {
	steps := map[State][]Move{
		Waiting: {Hold, Next, Cancel}, Held: {Next, Cancel, Retry}, Making: {Hold, Cancel}, Proving: {Hold, Cancel},
		Laying: {}, Proven: {}, Failed: {Cancel, Retry}, Cancelled: {Retry},
	}
	assert.Len(t, steps, len(States))
	into := map[State]bool{}
	for m, v := range moves {
		into[v.to] = true
		assert.NotEmpty(t, m.From(), m)
		assert.Subset(t, States, append(m.From(), m.To()), m)
	}
	for _, s := range States {
		assert.True(t, into[s], "%s is never come to", s)
		assert.Equal(t, steps[s], s.Steps(), s)
		// What a job may work on can be failed by it, and what is left alone can't be moved by any.
		for _, m := range []Move{Begin, ReadBack, Lay, Finish, Fail} {
			assert.False(t, s.Can(m) && !s.UnderWay(), "%s %s", s, m)
		}
	}
	assert.Equal(t, []State{Proven, Failed, Cancelled}, In(State.Ended))
	assert.Equal(t, []State{Waiting, Making, Proving, Laying}, In(State.UnderWay))
	assert.False(t, State("").Can(Retry))
}

// What can't be done says why, and with a code.
func TestRefusedMoves(t *testing.T) {
	for _, v := range []struct {
		from State
		by   Move
		code string
	}{
		{Waiting, Hold, ""}, {Laying, Hold, "under_way"}, {Proven, Hold, "under_way"}, {Proven, Next, "under_way"},
		{Proven, Cancel, "ended"}, {Cancelled, Cancel, "ended"}, {Laying, Cancel, "under_way"}, {Failed, Cancel, ""},
		{Proven, Retry, "not_ended"}, {Waiting, Retry, "not_ended"}, {Held, Retry, ""},
	} {
		err := v.from.Check(v.by, "the delivery")
		if v.code == "" {
			assert.NoError(t, err)
			continue
		}
		assert.Equal(t, v.code, snag.Of(err).Code, v)
		assert.Contains(t, err.Error(), "the delivery is "+string(v.from))
	}
}
