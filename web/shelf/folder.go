package shelf

import (
	"sync"
	"time"

	"dogear/web/say"
)

// Folder is what is told on the shelf of a folder that is watched.
type Folder struct {
	name, plan string
	mu         sync.Mutex
	files      []folderFile
}

// folderFile is a file that was found there.
type folderFile struct {
	Name, Text string
	At         string
	Failed     bool
}

// folderView is what the shelf shows of one.
type folderView struct {
	Name, Plan string
	Files      []folderFile
}

// maxTold bounds the files of a folder that are told of.
const maxTold = 5

// Watching says that new files of a folder get a plan. It is called before the server answers.
func (s *Shelf) Watching(name, plan string) *Folder {
	f := &Folder{name: name, plan: plan}
	s.folders = append(s.folders, f)
	return f
}

// Told says what was done with a new file of that folder.
func (f *Folder) Told(file, text string, failed bool) {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.files = append([]folderFile{{file, say.Upper(text), time.Now().Format("15:04"), failed}},
		f.files...)
	if len(f.files) > maxTold {
		f.files = f.files[:maxTold]
	}
}

// watchedFolders is what the shelf shows of all.
func (s *Shelf) watchedFolders() []folderView {
	var out []folderView
	for _, f := range s.folders {
		f.mu.Lock()
		out = append(out, folderView{f.name, f.plan, append([]folderFile(nil), f.files...)})
		f.mu.Unlock()
	}
	return out
}
