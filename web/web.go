// Package web holds the built files of the console.
package web

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Files are the files of the console; without index.html where it has not been
// built.
func Files() fs.FS {
	files, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // the folder is there whenever this compiles
	}
	return files
}
