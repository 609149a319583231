package httpapi

import (
	"github.com/google/uuid"

	"zestyloom/core/order"
)

// handlers are who does the operations of the contract, by their ids there.
func (s *server) handlers() map[string]handler {
	return map[string]handler{
		"getHealth":           handle(s.getHealth),
		"getReady":            handle(s.getReady),
		"getKey":              handle(s.getKey),
		"getScrub":            handle(s.getScrub),
		"listProductions":     handle(s.listProductions),
		"createProduction":    handle(s.createProduction),
		"getProduction":       handle(s.getProduction),
		"archiveProduction":   handle(s.archiveProduction),
		"removeProduction":    handle(s.removeProduction),
		"keepProduction":      handle(s.keepProduction),
		"getEvents":           handle(s.getEvents),
		"listFiles":           handle(s.listFiles),
		"takeFromShelf":       handle(s.takeFromShelf),
		"getWatch":            handle(s.getWatch),
		"setWatch":            handle(s.setWatch),
		"declineOffered":      handle(s.declineOffered),
		"listHashLists":       handle(s.listHashLists),
		"giveHashList":        handle(s.giveHashList),
		"removeHashList":      handle(s.removeHashList),
		"listSyncs":           handle(s.listSyncs),
		"proposeSyncs":        handle(s.proposeSyncs),
		"decideSync":          handle(s.decideSync),
		"nudgeSync":           handle(s.nudgeSync),
		"setClock":            handle(s.setClock),
		"listenToPair":        handle(s.listenToPair),
		"getDifference":       handle(s.getDifference),
		"alignAgain":          handle(s.alignAgain),
		"listShelf":           handle(s.listShelf),
		"removeFile":          handle(s.removeFile),
		"retryFile":           handle(s.retryFile),
		"getWaveform":         handle(s.getWaveform),
		"getSound":            handle(s.getSound),
		"listen":              handle(s.listen),
		"listenToReel":        handle(s.listenToReel),
		"setDetached":         handle(s.setDetached),
		"getPicture":          handle(s.getPicture),
		"labelStrand":         handle(s.labelStrand),
		"listTakes":           handle(s.listTakes),
		"editSheet":           handle(s.editSheet),
		"listLayouts":         handle(s.listLayouts),
		"keepLayout":          handle(s.keepLayout),
		"forgetLayout":        handle(s.forgetLayout),
		"listWays":            handle(s.listWays),
		"listReadings":        handle(s.listReadings),
		"decideSuggestions":   handle(s.decideSuggestions),
		"moveFile":            handle(s.moveFile),
		"getStrip":            handle(s.getStrip),
		"listTemplates":       handle(s.listTemplates),
		"saveTemplate":        handle(s.saveTemplate),
		"deleteTemplate":      handle(s.deleteTemplate),
		"listWritings":        handle(s.listWritings),
		"orderWritings":       handle(s.orderWritings),
		"getWritingsZip":      handle(s.getWritingsZip),
		"downloadWriting":     handle(s.downloadWriting),
		"getHashList":         handle(s.getHashList),
		"getSoundReport":      handle(s.getSoundReport),
		"readSoundReport":     handle(s.readSoundReport),
		"printSoundReport":    handle(s.printSoundReport),
		"undo":                handle(s.undo),
		"redo":                handle(s.redo),
		"listEdits":           handle(s.listEdits),
		"getReel":             handle(s.getReel),
		"listReels":           handle(s.listReels),
		"createReel":          handle(s.createReel),
		"getReelById":         handle(s.getReelById),
		"nameReel":            handle(s.nameReel),
		"removeReel":          handle(s.removeReel),
		"readCutList":         handle(s.readCutList),
		"layCutList":          handle(s.layCutList),
		"getDifferingNames":   handle(s.getDifferingNames),
		"getDecisionList":     handle(s.getDecisionList),
		"getInterchange":      handle(s.getInterchange),
		"listLendable":        handle(s.listLendable),
		"bringOver":           handle(s.bringOver),
		"previewBringing":     handle(s.previewBringing),
		"showTreatment":       handle(s.showTreatment),
		"getSpectrum":         handle(s.getSpectrum),
		"getReduction":        handle(s.getReduction),
		"getSky":              handle(s.getSky),
		"getBusMeters":        handle(s.getBusMeters),
		"listTreatments":      handle(s.listTreatments),
		"keepTreatment":       handle(s.keepTreatment),
		"removeTreatment":     handle(s.removeTreatment),
		"listPictures":        handle(s.listPictures),
		"getMarkers":          handle(s.getMarkers),
		"readMarkers":         handle(s.readMarkers),
		"previewWeave":        handle(s.previewWeave),
		"getNulls":            handle(s.getNulls),
		"orderPrints":         handle(s.orderPrints),
		"getLines":            handle(s.getLines),
		"playOnLines":         handle(s.playOnLines),
		"stopLines":           handle(s.stopLines),
		"describeLines":       handle(s.describeLines),
		"listLaybacks":        handle(s.listLaybacks),
		"layBack":             handle(s.layBack),
		"stopLayback":         handle(s.stopLayback),
		"getSounding":         handle(s.getSounding),
		"getWays":             handle(s.getWays),
		"keepWeave":           handle(s.keepWeave),
		"listWeaveTemplates":  handle(s.listWeaveTemplates),
		"addWeaveTemplate":    handle(s.addWeaveTemplate),
		"getBeginnings":       handle(s.getBeginnings),
		"setBeginning":        handle(s.setBeginning),
		"removeWeaveTemplate": handle(s.removeWeaveTemplate),
		"measureTake":         handle(s.measureTake),
		"measureReel":         handle(s.measureReel),
		"getMeasurementTable": handle(s.getMeasurementTable),
		"printMeasurement":    handle(s.printMeasurement),
		"planCorrection":      handle(s.planCorrection),
		"getReelChanges":      handle(s.getReelChanges),
		"editReel":            handle(s.editReel),
		"layTake":             handle(s.layTake),
		"setWidth":            handle(s.setWidth),
		"listSpecs":           handle(s.listSpecs),
		"saveSpec":            handle(s.saveSpec),
		"getSpecSchema":       handle(s.getSpecSchema),
		"removeSpec":          handle(s.removeSpec),
		"chooseSpec":          handle(s.chooseSpec),
		"preflight":           handle(s.preflight),
		"orderDelivery":       handle(s.orderDelivery),
		"listDeliveries":      handle(s.listDeliveries),
		"listQueue":           handle(s.listQueue),
		"takeStep":            handle(s.takeStep),
		"orderQueue":          handle(s.orderQueue),
		"getDelivery":         handle(s.getDelivery),
		"deliverAgain":        handle(s.deliverAgain),
		"getOrigins":          handle(s.getOrigins),
		"takeBack":            handle(s.takeBack),
		"getPaper":            handle(s.getPaper),
		"getDeliveryZip":      handle(s.getDeliveryZip),
		"downloadFile":        handle(s.downloadFile),
	}
}

// The ids that paths have.
type (
	ofDelivery struct {
		Delivery uuid.UUID `path:"delivery"`
	}
	ofDeliveryIndex struct {
		Delivery uuid.UUID `path:"delivery"`
		Index    int       `path:"index"`
	}
	ofDeliveryIndexChannel struct {
		Delivery uuid.UUID `path:"delivery"`
		Index    int       `path:"index"`
		Channel  int       `path:"channel"`
	}
	ofDeliveryPaper struct {
		Delivery uuid.UUID `path:"delivery"`
		Paper    string    `path:"paper"`
	}
	ofFile struct {
		File uuid.UUID `path:"file"`
	}
	ofLayback struct {
		Layback uuid.UUID `path:"layback"`
	}
	ofLayout struct {
		Layout uuid.UUID `path:"layout"`
	}
	ofList struct {
		List uuid.UUID `path:"list"`
	}
	ofOrderStep struct {
		Order uuid.UUID  `path:"order"`
		Step  order.Move `path:"step"`
	}
	ofProduction struct {
		Production uuid.UUID `path:"production"`
	}
	ofReel struct {
		Reel uuid.UUID `path:"reel"`
	}
	ofSignal struct {
		Strand string `path:"strand"`
	}
	ofSpec struct {
		Spec uuid.UUID `path:"spec"`
	}
	ofStrand struct {
		Strand uuid.UUID `path:"strand"`
	}
	ofSync struct {
		Sync uuid.UUID `path:"sync"`
	}
	ofTake struct {
		Take uuid.UUID `path:"take"`
	}
	ofTemplate struct {
		Template uuid.UUID `path:"template"`
	}
	ofTreatment struct {
		Treatment uuid.UUID `path:"treatment"`
	}
	ofWritingIndex struct {
		Writing uuid.UUID `path:"writing"`
		Index   int       `path:"index"`
	}
)
