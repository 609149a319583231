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

// Preflight implements contract.StrictServerInterface.
func (s *server) Preflight(ctx context.Context, r contract.PreflightRequestObject) (contract.PreflightResponseObject, error) {
	plan, found, left, err := s.app.Preflight(ctx, r.Reel, deliveryOrder(*r.Body))
	if err != nil {
		return nil, err
	}
	out := contract.Preflight200JSONResponse{
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
		State: contract.DeliveryState(d.State), Total: d.Plan.Frames, Frames: d.Plan.Frames, SampleRate: d.Plan.Rates.Files,
		Error: contract.Snag{Code: d.ErrorCode, Message: d.ErrorMessage}, Files: plannedFiles(d.Plan, d.Proof), StartTimecode: timecodeIn(d.Plan, 0), EndTimecode: timecodeIn(d.Plan, d.Plan.Frames),
		Clipped: d.Clipped, OrderedAt: d.OrderedAt, BeganAt: d.BeganAt, FinishedAt: d.FinishedAt, Papers: []contract.DeliveryPapers{}, Failures: []string{},
	}
	if p, ok := o.Spec.Packing(o.Packing); ok {
		v.PackingSays = p.Says
	}
	if d.Plan.CutSays != "" {
		v.CutSays = &d.Plan.CutSays
	}
	if d.State == "proven" {
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

// OrderDelivery implements contract.StrictServerInterface.
func (s *server) OrderDelivery(ctx context.Context, r contract.OrderDeliveryRequestObject) (contract.OrderDeliveryResponseObject, error) {
	d, err := s.app.OrderDelivery(ctx, r.Reel, deliveryOrder(*r.Body))
	if err != nil {
		return nil, err
	}
	return contract.OrderDelivery202JSONResponse(deliveryView(d)), nil
}

// ListDeliveries implements contract.StrictServerInterface.
func (s *server) ListDeliveries(ctx context.Context, r contract.ListDeliveriesRequestObject) (contract.ListDeliveriesResponseObject, error) {
	if _, err := s.app.Store.Production(ctx, r.Production); err != nil {
		return nil, err
	}
	ds, err := s.app.Store.Deliveries(ctx, r.Production, given(r.Params.Before), 500)
	if err != nil {
		return nil, err
	}
	out := contract.ListDeliveries200JSONResponse{}
	for _, d := range ds {
		out = append(out, deliveryView(d))
	}
	return out, nil
}

// GetDelivery implements contract.StrictServerInterface.
func (s *server) GetDelivery(ctx context.Context, r contract.GetDeliveryRequestObject) (contract.GetDeliveryResponseObject, error) {
	d, err := s.app.Store.Delivery(ctx, r.Delivery)
	if err != nil {
		return nil, err
	}
	v := deliveryView(d)
	v.Proof = d.Proof
	used := append([]delivery.Used{}, d.Plan.Uses()...)
	v.Sources = &used
	if d.Proof != nil {
		note, err := s.app.Dispatch(ctx, d)
		if err != nil {
			return nil, err
		}
		differs := append([]string{}, note.Differs...)
		v.Differs = &differs
	}
	return contract.GetDelivery200JSONResponse(v), nil
}

// CancelDelivery implements contract.StrictServerInterface.
func (s *server) CancelDelivery(ctx context.Context, r contract.CancelDeliveryRequestObject) (contract.CancelDeliveryResponseObject, error) {
	d, err := s.app.DeliveryStep(ctx, r.Delivery, app.StepCancel)
	if err != nil {
		return nil, err
	}
	return contract.CancelDelivery200JSONResponse(deliveryView(d)), nil
}

// RetryDelivery implements contract.StrictServerInterface.
func (s *server) RetryDelivery(ctx context.Context, r contract.RetryDeliveryRequestObject) (contract.RetryDeliveryResponseObject, error) {
	d, err := s.app.DeliveryStep(ctx, r.Delivery, app.StepRetry)
	if err != nil {
		return nil, err
	}
	return contract.RetryDelivery202JSONResponse(deliveryView(d)), nil
}

// DeliverAgain implements contract.StrictServerInterface.
func (s *server) DeliverAgain(ctx context.Context, r contract.DeliverAgainRequestObject) (contract.DeliverAgainResponseObject, error) {
	d, err := s.app.DeliverAgain(ctx, r.Delivery)
	if err != nil {
		return nil, err
	}
	return contract.DeliverAgain202JSONResponse(deliveryView(d)), nil
}

// HoldDelivery implements contract.StrictServerInterface.
func (s *server) HoldDelivery(ctx context.Context, r contract.HoldDeliveryRequestObject) (contract.HoldDeliveryResponseObject, error) {
	d, err := s.app.DeliveryStep(ctx, r.Delivery, app.StepHold)
	if err != nil {
		return nil, err
	}
	return contract.HoldDelivery200JSONResponse(deliveryView(d)), nil
}

// NextDelivery implements contract.StrictServerInterface.
func (s *server) NextDelivery(ctx context.Context, r contract.NextDeliveryRequestObject) (contract.NextDeliveryResponseObject, error) {
	d, err := s.app.DeliveryStep(ctx, r.Delivery, app.StepNext)
	if err != nil {
		return nil, err
	}
	return contract.NextDelivery200JSONResponse(deliveryView(d)), nil
}

// TakeBack implements contract.StrictServerInterface.
func (s *server) TakeBack(ctx context.Context, r contract.TakeBackRequestObject) (contract.TakeBackResponseObject, error) {
	b, err := s.app.TakeBack(ctx, r.Delivery)
	if err != nil {
		return nil, err
	}
	v := contract.TakeBack202JSONResponse{Files: b.Files, Waiting: b.Waiting, Says: append([]string{}, b.Says...)}
	if b.Reel != nil {
		v.Reel, v.Name = &b.Reel.ID, &b.Reel.Name
	}
	return v, nil
}

// GetOrigins implements contract.StrictServerInterface.
func (s *server) GetOrigins(ctx context.Context, r contract.GetOriginsRequestObject) (contract.GetOriginsResponseObject, error) {
	d, err := s.app.Store.Delivery(ctx, r.Delivery)
	if err != nil {
		return nil, err
	}
	if r.Index >= len(d.Plan.Files) || r.Channel > len(d.Plan.Files[r.Index].Channels) {
		return nil, app.ErrNotFound
	}
	return contract.GetOrigins200JSONResponse(append([]delivery.Origin{}, d.Plan.Origins(r.Index, r.Channel-1)...)), nil
}

// GetSounding implements contract.StrictServerInterface.
func (s *server) GetSounding(ctx context.Context, r contract.GetSoundingRequestObject) (contract.GetSoundingResponseObject, error) {
	found, err := s.app.Sounding(ctx, r.Reel, given(r.Params.Bus), r.Params.Channel, r.Params.At)
	return contract.GetSounding200JSONResponse(append([]delivery.Origin{}, found...)), err
}

// DownloadFile implements contract.StrictServerInterface.
func (s *server) DownloadFile(ctx context.Context, r contract.DownloadFileRequestObject) (contract.DownloadFileResponseObject, error) {
	g, err := s.app.DeliveredFile(ctx, r.Delivery, r.Index)
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

// VisitDownloadFileResponse serves the file, or the byte ranges that were asked for. Where a block is other than it was, the
// answer breaks off before it: nothing whole of the length that was promised reaches anybody.
func (p proven) VisitDownloadFileResponse(w http.ResponseWriter) error {
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

// GetPaper implements contract.StrictServerInterface.
func (s *server) GetPaper(ctx context.Context, r contract.GetPaperRequestObject) (contract.GetPaperResponseObject, error) {
	note, err := s.app.Paper(ctx, r.Delivery)
	if err != nil {
		return nil, err
	}
	return paper{note, string(r.Paper)}, nil
}

type paper struct {
	note report.Dispatch
	kind string
}

var paperTypes = map[string]string{report.SignedProof: "text/plain; charset=utf-8", "pdf": "application/pdf", "csv": "text/csv; charset=utf-8", "json": "application/json", "mhl": "application/xml"}

// VisitGetPaperResponse writes the paper.
func (p paper) VisitGetPaperResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", paperTypes[p.kind])
	w.Header().Set("Content-Disposition", attachment(p.note.PaperName(p.kind)))
	return p.note.WritePaper(w, p.kind)
}

// GetDeliveryZip implements contract.StrictServerInterface.
func (s *server) GetDeliveryZip(ctx context.Context, r contract.GetDeliveryZipRequestObject) (contract.GetDeliveryZipResponseObject, error) {
	z, err := s.app.Archive(ctx, r.Delivery)
	return archive(z), err
}

type archive app.Archive

// VisitGetDeliveryZipResponse writes the archive.
func (z archive) VisitGetDeliveryZipResponse(w http.ResponseWriter) error {
	return handOver(w, app.Archive(z))
}

// handOver gives an archive out as a file.
func handOver(w http.ResponseWriter, z interface {
	Name() string
	Write(w io.Writer) error
}) error {
	w.Header().Set("Content-Type", "application/zip")
	w.Header().Set("Content-Disposition", attachment(z.Name()))
	return z.Write(w)
}
