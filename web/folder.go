package web

import (
	"sync"
	"time"
)

// folder is what is told on the shelf of a folder that is watched.
type folder struct {
	mu    sync.Mutex
	name  string
	plan  string
	files []folderFile
}

// folderFile is a file that was found there.
type folderFile struct {
	Name, Text string
	At         string
	Failed     bool
}

// folderView is what the shelf shows of it.
type folderView struct {
	Name, Plan string
	Files      []folderFile
}

// mostTold bounds the files that are told of.
const mostTold = 5

// Watching says that new files of a folder get a plan.
func (s *Server) Watching(name, plan string) {
	s.folder.mu.Lock()
	defer s.folder.mu.Unlock()
	s.folder.name, s.folder.plan = name, plan
}

// Watched says what was done with a new file of that folder.
func (s *Server) Watched(file, text string, failed bool) {
	s.folder.mu.Lock()
	defer s.folder.mu.Unlock()
	f := folderFile{file, upper(text), time.Now().Format("15:04"), failed}
	s.folder.files = append([]folderFile{f}, s.folder.files...)
	if len(s.folder.files) > mostTold {
		s.folder.files = s.folder.files[:mostTold]
	}
}

// watched is what the shelf shows; nil when no folder is watched.
func (s *Server) watched() *folderView {
	s.folder.mu.Lock()
	defer s.folder.mu.Unlock()
	if s.folder.name == "" {
		return nil
	}
	return &folderView{s.folder.name, s.folder.plan, append([]folderFile(nil), s.folder.files...)}
}
