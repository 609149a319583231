package httpapi

import (
	"bytes"
	"context"

	"github.com/google/uuid"

	"zestyloom/core/line"
	"zestyloom/core/timecode"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/store"
)

// GetLines implements contract.StrictServerInterface.
func (s *server) GetLines(ctx context.Context, r contract.GetLinesRequestObject) (contract.GetLinesResponseObject, error) {
	v, err := s.lines(ctx, r.Reel)
	return contract.GetLines200JSONResponse(v), err
}

// PlayOnLines implements contract.StrictServerInterface.
func (s *server) PlayOnLines(ctx context.Context, r contract.PlayOnLinesRequestObject) (contract.PlayOnLinesResponseObject, error) {
	if err := s.app.PlayOnLines(ctx, r.Reel, r.Body.From, given(r.Body.Outputs)); err != nil {
		return nil, err
	}
	v, err := s.lines(ctx, r.Reel)
	return contract.PlayOnLines202JSONResponse(v), err
}

// StopLines implements contract.StrictServerInterface.
func (s *server) StopLines(context.Context, contract.StopLinesRequestObject) (contract.StopLinesResponseObject, error) {
	s.app.StopLines()
	return contract.StopLines204Response{}, nil
}

// DescribeLines implements contract.StrictServerInterface.
func (s *server) DescribeLines(ctx context.Context, r contract.DescribeLinesRequestObject) (contract.DescribeLinesResponseObject, error) {
	b, err := s.app.DescribeLines(ctx, r.Reel, nil)
	return contract.DescribeLines200ApplicationsdpResponse{Body: bytes.NewReader(b), ContentLength: int64(len(b))}, err
}

// ListLaybacks implements contract.StrictServerInterface.
func (s *server) ListLaybacks(ctx context.Context, r contract.ListLaybacksRequestObject) (contract.ListLaybacksResponseObject, error) {
	list, rate, err := s.app.Laybacks(ctx, r.Reel)
	out := contract.ListLaybacks200JSONResponse{}
	for _, l := range list {
		out = append(out, layback(l, rate))
	}
	return out, err
}

// LayBack implements contract.StrictServerInterface.
func (s *server) LayBack(ctx context.Context, r contract.LayBackRequestObject) (contract.LayBackResponseObject, error) {
	l, rate, err := s.app.LayBack(ctx, r.Reel, r.Body.From, r.Body.To, given(r.Body.Outputs))
	if err != nil {
		return nil, err
	}
	return contract.LayBack202JSONResponse(layback(l, rate)), nil
}

// StopLayback implements contract.StrictServerInterface.
func (s *server) StopLayback(ctx context.Context, r contract.StopLaybackRequestObject) (contract.StopLaybackResponseObject, error) {
	return contract.StopLayback204Response{}, s.app.StopLayback(ctx, r.Layback)
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
