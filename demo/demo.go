// Package demo holds the demo map: Cindervale Observatory, a made-up place with
// telescopes on a summit, a base office and an archive.
package demo

import (
	"embed"
	"io/fs"
)

//go:embed cindervale
var files embed.FS

// Map is the demo's map folder.
func Map() fs.FS {
	sub, err := fs.Sub(files, "cindervale")
	if err != nil {
		panic(err) // the folder is there whenever this compiles
	}
	return sub
}
