package web

import (
	"strings"

	"github.com/gofiber/fiber/v3"
)

// bodyRoom is what a request may hold in memory; uploads are streamed past it.
const bodyRoom = 1 << 20

// raw are the answers that travel as they are: streams, numbers that do not shrink, and
// files, of which somebody may want a part.
func raw(c fiber.Ctx) bool {
	p := c.Path()
	for _, end := range []string{"/events", "/write", "/file", "/touch", "/plan", ".woff2"} {
		if strings.HasSuffix(p, end) {
			return true
		}
	}
	return strings.Contains(p, "/layers/") || strings.Contains(p, "/cover/") ||
		strings.Contains(p, "/pickups/")
}

const csrfHeader = "X-Csrf-Token"

func (s *Server) routes() {
	a := s.app
	// What can be got can be asked for without its body.
	get := func(path string, f fiber.Handler) {
		a.Get(path, f)
		a.Head(path, f)
	}
	get("/", s.shelf)
	get("/enter", s.enterPage)
	a.Post("/enter", s.enter)
	a.Post("/leave", s.leave)
	a.Post("/prints", s.upload)
	a.Post("/demo", s.demo)
	get("/prints/:id/reading", s.reading)
	a.Post("/prints/:id/cancel", s.cancel)
	a.Post("/prints/:id/remove", s.takeOff)
	a.Post("/prints/:id/back", s.putBack)
	a.Post("/prints/:id/delete", s.deleteForGood)
	get("/off", s.takenOffPage)
	get("/prints/:id", s.bench)
	get("/prints/:id/book", s.book)
	get("/prints/:id/bands", s.bandsOf)
	a.Get("/prints/:id/events", s.events)
	a.Get("/events", s.allEvents)
	get("/prints/:id/margin", s.marginNow)
	get("/prints/:id/finds", s.findsNow)
	get("/prints/:id/layers/:n", s.geometry)
	get("/prints/:id/layers/:n/thread", s.thread)
	get("/prints/:id/layers/:n/overlay", s.overlay)
	get("/prints/:id/layers/:n/air", s.air)
	get("/prints/:id/cover/:view", s.cover)
	get("/prints/:id/ears/:ear", s.earCard)
	a.Post("/prints/:id/ears", s.addEar)
	a.Post("/prints/:id/pockets", s.addInsert)
	a.Post("/prints/:id/version", s.newer)
	a.Post("/prints/:id/carried", s.carriedRead)
	get("/prints/:id/compare/:old", s.comparePage)
	a.Post("/prints/:id/mutes", s.mute)
	a.Post("/prints/:id/mutes/remove", s.unmute)
	a.Post("/prints/:id/changes", s.addChange)
	a.Post("/prints/:id/changes/:change/remove", s.removeChange)
	a.Post("/prints/:id/first", s.firstFilament)
	a.Post("/prints/:id/undo", s.undo)
	a.Post("/prints/:id/redo", s.redo)
	a.Post("/prints/:id/ears/:ear", s.changeEar)
	a.Post("/prints/:id/ears/:ear/remove", s.removeEar)
	a.Post("/prints/:id/ears/:ear/copy", s.copyEar)
	a.Post("/prints/:id/printer", s.usePrinter)
	a.Post("/prints/:id/axis", s.filamentAxis)
	a.Post("/prints/:id/plan", s.openPlan)
	a.Post("/prints/:id/takeover", s.takeOver)
	a.Post("/prints/:id/takeout", s.takeOut)
	get("/prints/:id/proof", s.proof)
	get("/prints/:id/proof/progress", s.proofProgress)
	a.Post("/prints/:id/proof/stop", s.stopProof)
	a.Post("/prints/:id/proof/accept", s.acceptProof)
	get("/prints/:id/plan", s.planFile)
	get("/prints/:id/lines", s.linesPage)
	get("/prints/:id/line/:line", s.lineState)
	get("/prints/:id/text", s.text)
	get("/prints/:id/search", s.search)
	get("/prints/:id/write", s.write)
	get("/prints/:id/pickup", s.pickupPage)
	get("/prints/:id/pickup/now", s.pickupNow)
	a.Post("/prints/:id/pickup/evidence", s.addEvidence)
	a.Post("/prints/:id/pickup/evidence/remove", s.dropEvidence)
	a.Post("/prints/:id/pickup/choice", s.decide)
	a.Post("/prints/:id/pickup/flip", s.flip)
	a.Post("/prints/:id/pickup/accept", s.accept)
	a.Post("/prints/:id/pickup/undo", s.undoPickup)
	a.Post("/prints/:id/pickup/redo", s.redoPickup)
	a.Post("/prints/:id/pickup/write", s.writePickup)
	get("/prints/:id/pickup/touch", s.touchFile)
	get("/prints/:id/pickups/:pickup", s.pickupFile)
	a.Post("/prints/:id/pickups/:pickup/remove", s.forgetPickup)
	get("/prints/:id/rehearse", s.rehearsePage)
	a.Get("/prints/:id/rehearse/events", s.rehearseEvents)
	a.Post("/prints/:id/rehearse", s.rehearse)
	get("/prints/:id/cue", s.cuePage)
	get("/prints/:id/cue/:as", s.cueFile)
	get("/bind", s.bindPage)
	get("/bind/file", s.bindFile)
	get("/bind/over", s.bindOver)
	a.Post("/bind/shelf", s.bindShelf)
	get("/kit", s.kitPage)
	get("/kit/file", s.kitFile)
	a.Post("/kit/file", s.openKit)
	a.Post("/kit/undo", s.kitUndo)
	a.Post("/kit/redo", s.kitRedo)
	a.Post("/kit/routines/steps", s.routineSteps)
	a.Post("/kit/routines/copy", s.copyRoutine)
	a.Post("/kit/routines/rename", s.renameRoutine)
	a.Post("/kit/printers/plan", s.planPreview)
	get("/kit/:drawer/edit", s.kitEdit)
	a.Post("/kit/:drawer", s.kitSave)
	a.Post("/kit/:drawer/remove", s.kitRemove)
	a.Use(func(fiber.Ctx) error {
		return fiber.NewError(fiber.StatusNotFound, "There is no such "+
			"page.")
	})
}
