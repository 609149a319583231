package httpapi

import (
	"context"
	"mime"
	"net/http"
	"os"
	"path/filepath"

	"github.com/gin-gonic/gin"

	"zestyloom/core/delivery"
	"zestyloom/core/readiness"
	"zestyloom/internal/app"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/store"
)

// ListSpecs implements contract.StrictServerInterface.
func (s *server) ListSpecs(ctx context.Context, _ contract.ListSpecsRequestObject) (contract.ListSpecsResponseObject, error) {
	specs, err := s.app.Store.Specs(ctx)
	if err != nil {
		return nil, err
	}
	out := contract.ListSpecs200JSONResponse{}
	for _, sp := range specs {
		v := contract.Spec{
			Id: sp.ID, Name: sp.Name, Description: sp.Body.Description, Outputs: sp.Body.Outputs, SampleRate: sp.Body.SampleRate,
			Coding: sp.Body.Coding, Pattern: sp.Body.Pattern, Pairs: [][]int{}, Packings: []contract.SpecPackings{},
		}
		for _, p := range sp.Body.Pairs {
			v.Pairs = append(v.Pairs, p[:])
		}
		for _, p := range sp.Body.Packings {
			v.Packings = append(v.Packings, contract.SpecPackings(p))
		}
		out = append(out, v)
	}
	return out, nil
}

func deliveryOrder(b contract.DeliveryOrder) app.DeliveryOrder {
	o := app.DeliveryOrder{Spec: b.Spec, Packing: string(b.Packing)}
	if b.Pattern != nil {
		o.Pattern = *b.Pattern
	}
	return o
}

// Preflight implements contract.StrictServerInterface.
func (s *server) Preflight(ctx context.Context, r contract.PreflightRequestObject) (contract.PreflightResponseObject, error) {
	plan, found, err := s.app.Preflight(ctx, r.Reel, deliveryOrder(*r.Body))
	if err != nil {
		return nil, err
	}
	out := contract.Preflight200JSONResponse{
		Files: plannedFiles(plan), Frames: plan.Frames, Start: plan.Start, StartTimecode: startOf(plan),
		Findings: []contract.Finding{}, Stops: readiness.Stops(found),
	}
	for _, f := range found {
		out.Findings = append(out.Findings, contract.Finding{Code: f.Code, Message: f.Message, Stops: f.Stops, Stage: contract.FindingStage(f.Stage), Track: f.Track, OnPurpose: f.OnPurpose})
	}
	return out, nil
}

func startOf(p delivery.Plan) string {
	return p.Rate.FormatSamples(p.Start, int64(p.Order.Spec.SampleRate))
}

func plannedFiles(p delivery.Plan) []contract.PlannedFile {
	out := []contract.PlannedFile{}
	for _, f := range p.Files {
		pf := contract.PlannedFile{Name: f.Name, Channels: []string{}}
		for _, o := range f.Outputs {
			pf.Channels = append(pf.Channels, p.Reel.Weave.Outputs[o].Name)
		}
		out = append(out, pf)
	}
	return out
}

func deliveryView(d store.Delivery) contract.Delivery {
	v := contract.Delivery{
		Id: d.ID, SpecName: d.Plan.Order.Spec.Name, Packing: contract.DeliveryPacking(d.Plan.Order.Packing), State: contract.DeliveryState(d.State),
		Total: d.Plan.Frames, Frames: d.Plan.Frames, Error: contract.Snag{Code: d.ErrorCode, Message: d.ErrorMessage},
		Files: plannedFiles(d.Plan), StartTimecode: startOf(d.Plan), Clipped: d.Clipped, OrderedAt: d.OrderedAt, FinishedAt: d.FinishedAt,
	}
	if d.State == "proven" {
		v.Done = d.Plan.Frames
	}
	if d.Proof == nil {
		return v
	}
	v.Proof = &contract.Proof{Passed: d.Proof.Passed, Files: []contract.FileProof{}}
	for _, f := range d.Proof.Files {
		fp := contract.FileProof{Name: f.Name, Bytes: f.Bytes, Hash: f.Hash, Checks: []contract.Check{}, Channels: []contract.ChannelProof{}}
		for _, c := range f.Checks {
			fp.Checks = append(fp.Checks, contract.Check{What: c.What, Ordered: c.Ordered, Found: c.Found, Ok: c.OK})
		}
		for _, c := range f.Channels {
			fp.Channels = append(fp.Channels, contract.ChannelProof{
				Channel: c.Channel, Output: c.Output, Name: c.Name, Differs: c.Differs, FirstAt: c.FirstAt, PeakDbfs: c.PeakDBFS, RmsDbfs: c.RMSDBFS, Ok: c.OK,
			})
		}
		v.Proof.Files = append(v.Proof.Files, fp)
	}
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
	ds, err := s.app.Store.Deliveries(ctx, r.Production, 100)
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
	return contract.GetDelivery200JSONResponse(deliveryView(d)), nil
}

// CancelDelivery implements contract.StrictServerInterface.
func (s *server) CancelDelivery(ctx context.Context, r contract.CancelDeliveryRequestObject) (contract.CancelDeliveryResponseObject, error) {
	d, err := s.app.CancelDelivery(ctx, r.Delivery)
	if err != nil {
		return nil, err
	}
	return contract.CancelDelivery200JSONResponse(deliveryView(d)), nil
}

// RetryDelivery implements contract.StrictServerInterface.
func (s *server) RetryDelivery(ctx context.Context, r contract.RetryDeliveryRequestObject) (contract.RetryDeliveryResponseObject, error) {
	d, err := s.app.RetryDelivery(ctx, r.Delivery)
	if err != nil {
		return nil, err
	}
	return contract.RetryDelivery202JSONResponse(deliveryView(d)), nil
}

// DownloadFile implements contract.StrictServerInterface.
func (s *server) DownloadFile(ctx context.Context, r contract.DownloadFileRequestObject) (contract.DownloadFileResponseObject, error) {
	path, err := s.app.DeliveredFile(ctx, r.Delivery, r.Index)
	if err != nil {
		return nil, err
	}
	return download{ctx.(*gin.Context).Request, path}, nil
}

type download struct {
	r    *http.Request
	path string
}

// VisitDownloadFileResponse serves the file, or the byte ranges that were asked for.
func (d download) VisitDownloadFileResponse(w http.ResponseWriter) error {
	return d.serve(w, map[string]string{
		"Content-Type":        "audio/wav",
		"Content-Disposition": mime.FormatMediaType("attachment", map[string]string{"filename": filepath.Base(d.path)}),
	})
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
	// What is given out is nothing that runs in the place of this page.
	w.Header().Set("Content-Security-Policy", "default-src 'none'; sandbox")
	for name, value := range headers {
		w.Header().Set(name, value)
	}
	http.ServeContent(w, d.r, "", st.ModTime(), f)
	return nil
}
