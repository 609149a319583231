package httpapi

import (
	"context"

	"github.com/google/uuid"

	"zestyloom/core/line"
	"zestyloom/core/timecode"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/store"
)

func (s *server) getLines(ctx context.Context, at ofReel, _ none) (contract.Lines, error) {
	return s.lines(ctx, at.Reel)
}

func (s *server) playOnLines(ctx context.Context, at ofReel, body contract.PlayOnLinesJSONRequestBody) (contract.Lines, error) {
	if err := s.app.PlayOnLines(ctx, at.Reel, body.From, given(body.Outputs)); err != nil {
		return contract.Lines{}, err
	}
	return s.lines(ctx, at.Reel)
}

func (s *server) stopLines(_ context.Context, _ ofReel, _ none) (none, error) {
	s.app.StopLines()
	return none{}, nil
}

func (s *server) describeLines(ctx context.Context, at ofReel, _ none) (document, error) {
	b, err := s.app.DescribeLines(ctx, at.Reel, nil)
	return text("application/sdp", "", b), err
}

func (s *server) listLaybacks(ctx context.Context, at ofReel, _ none) ([]contract.Layback, error) {
	list, rate, err := s.app.Laybacks(ctx, at.Reel)
	out := []contract.Layback{}
	for _, l := range list {
		out = append(out, layback(l, rate))
	}
	return out, err
}

func (s *server) layBack(ctx context.Context, at ofReel, body contract.LayBackJSONRequestBody) (contract.Layback, error) {
	l, rate, err := s.app.LayBack(ctx, at.Reel, body.From, body.To, given(body.Outputs))
	if err != nil {
		return contract.Layback{}, err
	}
	return layback(l, rate), nil
}

func (s *server) stopLayback(ctx context.Context, at ofLayback, _ none) (none, error) {
	return none{}, s.app.StopLayback(ctx, at.Layback)
}

func (s *server) lines(ctx context.Context, id uuid.UUID) (contract.Lines, error) {
	session, refused, err := s.app.LinesOf(ctx, id)
	if err != nil {
		return contract.Lines{}, err
	}
	now := s.app.LinesState()
	v := contract.Lines{Playing: now.Playing, Streams: []contract.LineStream{}}
	if refused != nil {
		v.Problem = &refused.Message
	}
	if now.Playing {
		here, code := now.Reel == id, now.Session.Rate.FormatSamples(now.At, line.Rate)
		v.Here, v.At, v.Timecode, v.Held, v.Clipped = &here, &now.At, &code, &now.Held, &now.Clipped
		if now.Layback != (uuid.UUID{}) {
			v.Layback = &now.Layback
		}
		session = now.Session
	} else if now.Error != nil && now.Reel == id {
		says := now.Error.Error()
		v.Problem = &says
	}
	for _, st := range session.Streams {
		v.Streams = append(v.Streams, contract.LineStream{To: st.To().String(), First: st.First, Channels: st.Channels})
	}
	v.Deck = contract.LineDeck{Url: s.app.Lines.Deck.URL}
	d, err := s.app.Lines.Deck.State(ctx)
	if err != nil {
		says := err.Error()
		v.Deck.Says = &says
		return v, nil
	}
	v.Deck.Answers = true
	if d.Recording != "" {
		v.Deck.Recording = &d.Recording
	}
	lost := int64(0)
	for _, st := range d.Streams {
		lost += st.Lost
	}
	v.Deck.Lost = &lost
	return v, nil
}

func layback(l store.Layback, rate timecode.Rate) contract.Layback {
	code := func(at int64) string { return rate.FormatSamples(at, line.Rate) }
	v := contract.Layback{Id: l.ID, State: contract.LaybackState(l.State), From: l.FromAt, To: l.ToAt, FromTimecode: code(l.FromAt), ToTimecode: code(l.ToAt),
		Outputs: l.Outputs, Names: l.Names, BeganAt: l.BeganAt,
		Gaps: []contract.LineGap{}, Differences: []contract.LineDifference{}}
	if l.ErrorMessage != "" {
		v.Error = &l.ErrorMessage
	}
	r := l.Report
	if r == nil {
		return v
	}
	missing := r.Missing()
	v.Recording, v.Compared, v.Held, v.Missing = &r.Recording, &r.Compared, &r.Held, &missing
	if r.Strangers > 0 {
		v.Strangers = &r.Strangers
	}
	for _, g := range r.Gaps {
		v.Gaps = append(v.Gaps, contract.LineGap{From: g.From, To: g.To, Timecode: code(g.From), First: g.First, Last: g.Last})
	}
	for _, d := range r.Differences {
		v.Differences = append(v.Differences, contract.LineDifference{Channel: d.Channel, At: d.At, Timecode: code(d.At), Samples: d.Samples})
	}
	return v
}
