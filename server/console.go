package server

import (
	"io/fs"
	"net/http"
	"path"
	"strings"
)

// compression of the console's files: from 1, the fastest, to 9, the smallest.
const compression = 5

// serveReference answers with the page that shows the description of the API.
func (s *Server) serveReference(w http.ResponseWriter, _ *http.Request) {
	s.servePage(w, "api.html")
}

// serveConsole answers with the console's files. Every path that is no file is
// a page of the console, which the console itself draws.
func (s *Server) serveConsole(w http.ResponseWriter, r *http.Request) {
	if r.Method != http.MethodGet && r.Method != http.MethodHead {
		writeProblem(
			w,
			&problem{Title: "Not allowed", Status: http.StatusMethodNotAllowed, Detail: "the console is read with GET"},
		)
		return
	}
	file := strings.TrimPrefix(path.Clean(r.URL.Path), "/")
	if info, err := fs.Stat(s.console, file); err == nil && !info.IsDir() {
		if strings.HasPrefix(file, "assets/") { // their names change with their content
			w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		}
		http.ServeFileFS(w, r, s.console, file)
		return
	}
	if strings.HasPrefix(file, "assets/") {
		writeText(w, http.StatusNotFound, "there is no such file\n")
		return
	}
	s.servePage(w, "index.html")
}

// servePage answers with a page that was built.
func (s *Server) servePage(w http.ResponseWriter, file string) {
	page, err := fs.ReadFile(s.console, file)
	if err != nil {
		writeText(
			w,
			http.StatusNotFound,
			"This gatemap was built without its console: run make web, then build again.\nThe API is at /api/v1.\n",
		)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_, _ = w.Write(page)
}
