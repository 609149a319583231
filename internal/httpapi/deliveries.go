package httpapi

import (
	"context"
	"io"
	"mime"
	"net/http"
	"os"
	"path/filepath"
	"time"

	"github.com/gin-gonic/gin"

	"zestyloom/core/attest"
	"zestyloom/core/delivery"
	"zestyloom/core/order"
	"zestyloom/core/readiness"
	"zestyloom/core/report"
	"zestyloom/internal/app"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/store"
)

func deliveryOrder(b contract.DeliveryOrder) app.DeliveryOrder {
	return app.DeliveryOrder{
		Spec: b.Spec, Packing: given(b.Packing), Pattern: given(b.Pattern), From: b.From, To: b.To, Cut: given(b.Cut), Only: given(b.Only), Picture: b.Picture,
		Recipient: given(b.Recipient), Accept: given(b.Accept), Black: given(b.Black),
	}
}

func (s *server) preflight(ctx context.Context, at ofReel, body contract.DeliveryOrder) (contract.Preflight, error) {
	plan, found, left, err := s.app.Preflight(ctx, at.Reel, deliveryOrder(body))
	if err != nil {
		return contract.Preflight{}, err
	}
	out := contract.Preflight{
		Files: plannedFiles(plan, nil), Frames: plan.Frames, Start: plan.Start, StartTimecode: timecodeIn(plan, 0), EndTimecode: timecodeIn(plan, plan.Frames), CutSays: plan.CutSays, Lead: plan.Lead, ProgrammeTimecode: timecodeIn(plan, plan.Lead),
		SampleRate: plan.Rates.Files, Tones: append([]delivery.Tone{}, plan.Tones...), Findings: []contract.Finding{}, Stops: readiness.Stops(found), Unmeasured: left,
	}
	for _, f := range found {
		out.Findings = append(out.Findings, contract.Finding{Code: f.Code, Message: f.Message, Stops: f.Stops, Asks: f.Asks, Stage: contract.FindingStage(f.Stage), Track: f.Track, OnPurpose: f.OnPurpose})
	}
	return out, nil
}

// timecodeIn is that of a frame of a plan's files.
func timecodeIn(p delivery.Plan, frame int64) string {
	return p.Rate.FormatSamples(p.Start+frame, int64(p.Rates.Files))
}

func plannedFiles(p delivery.Plan, proof *delivery.Proof) []contract.PlannedFile {
	out := []contract.PlannedFile{}
	for i, f := range p.Files {
		pf := contract.PlannedFile{Name: f.Name, Container: f.Container, Coding: f.Coding, Channels: []string{}, Groups: append([]delivery.FileGroup{}, f.Groups...), Picture: p.Pictures(f)}
		for _, c := range f.Channels {
			pf.Channels = append(pf.Channels, c.Name)
		}
		if proof != nil && i < len(proof.Files) {
			pf.Bytes = &proof.Files[i].Bytes
		}
		out = append(out, pf)
	}
	return out
}

// deliveryView is a delivery as it stands in a list.
func deliveryView(d store.Delivery) contract.Delivery {
	o := d.Plan.Order
	v := contract.Delivery{
		Id: d.ID, Reel: d.ReelID, ReelName: o.Titles.Reel, SpecName: o.Spec.Name, SpecVersion: o.Spec.Version, Packing: o.Packing, Recipient: o.Recipient, Version: d.Version, Test: d.Test, CutDown: d.Plan.CutDown(),
		State: d.State, Steps: d.State.Steps(), Total: d.Plan.Frames, Frames: d.Plan.Frames, SampleRate: d.Plan.Rates.Files,
		Error: contract.Snag{Code: d.ErrorCode, Message: d.ErrorMessage}, Files: plannedFiles(d.Plan, d.Proof), StartTimecode: timecodeIn(d.Plan, 0), EndTimecode: timecodeIn(d.Plan, d.Plan.Frames),
		Clipped: d.Clipped, OrderedAt: d.OrderedAt, BeganAt: d.BeganAt, FinishedAt: d.FinishedAt, Papers: []contract.DeliveryPapers{}, Failures: []string{},
	}
	if p, ok := o.Spec.Packing(o.Packing); ok {
		v.PackingSays = p.Says
	}
	if d.Plan.CutSays != "" {
		v.CutSays = &d.Plan.CutSays
	}
	if d.State == order.Proven {
		v.Done = d.Plan.Frames
	}
	if d.Damaged != nil {
		v.Damaged = &contract.Snag{Code: d.Damaged.Code, Message: d.Damaged.Message}
	}
	if d.Signature != nil {
		by := attest.Fingerprint(d.Signature.Key)
		v.SignedBy = &by
	}
	if d.Proof == nil {
		return v
	}
	for _, p := range o.Spec.Papers {
		v.Papers = append(v.Papers, contract.DeliveryPapers(p))
	}
	for _, f := range d.Proof.Files {
		v.Facts += len(f.Checks) + len(f.Channels)
	}
	v.Facts += len(d.Proof.Sums)
	v.Failures = append(v.Failures, d.Proof.Failures()...)
	return v
}

func (s *server) orderDelivery(ctx context.Context, at ofReel, body contract.DeliveryOrder) (contract.Delivery, error) {
	d, err := s.app.OrderDelivery(ctx, at.Reel, deliveryOrder(body))
	if err != nil {
		return contract.Delivery{}, err
	}
	return deliveryView(d), nil
}

func (s *server) listDeliveries(ctx context.Context, at ofProduction, q contract.ListDeliveriesParams) ([]contract.Delivery, error) {
	if _, err := s.app.Store.Production(ctx, at.Production); err != nil {
		return nil, err
	}
	ds, err := s.app.Store.Deliveries(ctx, at.Production, given(q.Before), 500)
	if err != nil {
		return nil, err
	}
	out := []contract.Delivery{}
	for _, d := range ds {
		out = append(out, deliveryView(d))
	}
	return out, nil
}

func (s *server) getDelivery(ctx context.Context, at ofDelivery, _ none) (contract.Delivery, error) {
	d, err := s.app.Store.Delivery(ctx, at.Delivery)
	if err != nil {
		return contract.Delivery{}, err
	}
	v := deliveryView(d)
	v.Proof = d.Proof
	used := append([]delivery.Used{}, d.Plan.Uses()...)
	v.Sources = &used
	if d.Proof != nil {
		note, err := s.app.Dispatch(ctx, d)
		if err != nil {
			return contract.Delivery{}, err
		}
		differs := append([]string{}, note.Differs...)
		v.Differs = &differs
	}
	return v, nil
}

func (s *server) deliverAgain(ctx context.Context, at ofDelivery, _ none) (contract.Delivery, error) {
	d, err := s.app.DeliverAgain(ctx, at.Delivery)
	if err != nil {
		return contract.Delivery{}, err
	}
	return deliveryView(d), nil
}

func (s *server) takeBack(ctx context.Context, at ofDelivery, _ none) (contract.TakenBack, error) {
	b, err := s.app.TakeBack(ctx, at.Delivery)
	if err != nil {
		return contract.TakenBack{}, err
	}
	v := contract.TakenBack{Files: b.Files, Waiting: b.Waiting, Says: append([]string{}, b.Says...)}
	if b.Reel != nil {
		v.Reel, v.Name = &b.Reel.ID, &b.Reel.Name
	}
	return v, nil
}

func (s *server) getOrigins(ctx context.Context, at ofDeliveryIndexChannel, _ none) ([]contract.Origin, error) {
	d, err := s.app.Store.Delivery(ctx, at.Delivery)
	if err != nil {
		return nil, err
	}
	if at.Index >= len(d.Plan.Files) || at.Channel > len(d.Plan.Files[at.Index].Channels) {
		return nil, app.ErrNotFound
	}
	return append([]delivery.Origin{}, d.Plan.Origins(at.Index, at.Channel-1)...), nil
}

func (s *server) getSounding(ctx context.Context, at ofReel, q contract.GetSoundingParams) ([]contract.Origin, error) {
	found, err := s.app.Sounding(ctx, at.Reel, given(q.Bus), q.Channel, q.At)
	return append([]delivery.Origin{}, found...), err
}

func (s *server) downloadFile(ctx context.Context, at ofDeliveryIndex, _ none) (proven, error) {
	g, err := s.app.DeliveredFile(ctx, at.Delivery, at.Index)
	return proven{ctx.(*gin.Context).Request, g}, err
}

type download struct {
	r    *http.Request
	path string
}

// types are those of the containers that are delivered.
var types = map[string]string{
	".wav": "audio/wav", ".w64": "application/octet-stream", ".aif": "audio/aiff", ".flac": "audio/flac", ".mov": "video/quicktime", ".mkv": "video/x-matroska", ".mxf": "application/mxf", ".mp4": "video/mp4",
}

// proven is a file that is given out by what was proven of it.
type proven struct {
	r *http.Request
	app.Given
}

// give serves the file, or the byte ranges that were asked for. Where a block is other than it was, the
// answer breaks off before it: nothing whole of the length that was promised reaches anybody.
func (p proven) give(w http.ResponseWriter) error {
	f, err := p.Open()
	if err != nil {
		return err
	}
	defer f.Close()
	giveOut(w, p.r, f, p.Modified, map[string]string{
		"Content-Type": types[filepath.Ext(p.Path)], "Content-Disposition": attachment(filepath.Base(p.Path))})
	return nil
}

func attachment(name string) string {
	return mime.FormatMediaType("attachment", map[string]string{"filename": name})
}

// serve serves the file under headers, which are set only once it is open: no failure is kept by a
// browser.
func (d download) serve(w http.ResponseWriter, headers map[string]string) error {
	f, err := os.Open(d.path)
	if err != nil {
		return err
	}
	defer f.Close()
	st, err := f.Stat()
	if err != nil {
		return err
	}
	giveOut(w, d.r, f, st.ModTime(), headers)
	return nil
}

// giveOut gives content out that is nothing that runs in the place of this page.
func giveOut(w http.ResponseWriter, r *http.Request, content io.ReadSeeker, modified time.Time, headers map[string]string) {
	w.Header().Set("Content-Security-Policy", "default-src 'none'; sandbox")
	for name, value := range headers {
		w.Header().Set(name, value)
	}
	http.ServeContent(w, r, "", modified, content)
}

var paperTypes = map[string]string{report.SignedProof: "text/plain; charset=utf-8", "pdf": "application/pdf", "csv": "text/csv; charset=utf-8", "json": "application/json", "mhl": "application/xml"}

func (s *server) getPaper(ctx context.Context, at ofDeliveryPaper, _ none) (document, error) {
	note, err := s.app.Paper(ctx, at.Delivery)
	return document{paperTypes[at.Paper], note.PaperName(at.Paper), func(w io.Writer) error { return note.WritePaper(w, at.Paper) }}, err
}

func (s *server) getDeliveryZip(ctx context.Context, at ofDelivery, _ none) (document, error) {
	z, err := s.app.Archive(ctx, at.Delivery)
	return document{"application/zip", z.Name(), z.Write}, err
}
