package files

import (
	"slices"
	"strings"

	"gatemap/core/gate"
	"gatemap/core/place"
)

// holding is the document in which some hold just what they were found to hold: an object is
// SHARE:/PATH, and a right one of the five or a name for several. Who has what on a folder that is listed
// is told whole: nothing comes to it from above. A folder of the document it is like that is not listed
// is as that document has it. The doors let everyone through, as a list tells what comes through them.
func holding(like gate.Document, list []gate.Holding) (made gate.Document, left []gate.Holding) {
	of, _ := like.(*Document)
	var fit []gate.Holding
	for _, h := range list {
		share, path, ok := strings.Cut(h.Object, ":")
		if path == "" {
			path, ok = "/", share != ""
		}
		if path != "/" {
			path = strings.TrimRight(path, "/")
		}
		known := slices.Contains(Grant("").Values(), h.Right)
		if !ok || !known || share == "" || !strings.HasPrefix(path, "/") || strings.Contains(path, "//") {
			left = append(left, h)
			continue
		}
		h.Object = share + ":" + path
		fit = append(fit, h)
	}
	d := &Document{}
	for _, h := range gate.Together(fit) {
		share, path, _ := strings.Cut(h.Object, ":")
		f := d.share(share).folder(path)
		f.Inherits = new(bool)
		f.Entries = append(f.Entries, Entry{Who: h.Who, Allow: []Grant{Grant(h.Right)}})
	}
	if of != nil {
		d.beside(of)
	}
	return d, left
}

// beside adds the shares and folders of another document that are not listed, without who may do what.
func (d *Document) beside(of *Document) {
	for _, s := range of.Shares {
		own := d.share(s.Share.Value)
		own.Path = s.Path
		for _, f := range s.Folders {
			if own.at(f.Path.Value) == nil {
				own.Folders = append(own.Folders, Folder{Path: f.Path, Inherits: f.Inherits})
			}
		}
	}
}

// share is the share of a name, with a door that lets everyone through where it is new.
func (d *Document) share(named string) *Share {
	for i := range d.Shares {
		if d.Shares[i].Share.Value == named {
			return &d.Shares[i]
		}
	}
	s := Share{Share: place.Text{Value: named}}
	s.Door = []Entry{{Who: gate.Who{Everyone: true}, Allow: []Grant{"full"}}}
	d.Shares = append(d.Shares, s)
	return &d.Shares[len(d.Shares)-1]
}

// at is the folder at a path; nil if the share declares none.
func (s *Share) at(path string) *Folder {
	for i := range s.Folders {
		if written := s.Folders[i].Path.Value; written == path ||
			len(written) > 1 && strings.TrimRight(written, "/") == path {
			return &s.Folders[i]
		}
	}
	return nil
}

// folder is the folder at a path, which it declares where it is new.
func (s *Share) folder(path string) *Folder {
	if f := s.at(path); f != nil {
		return f
	}
	s.Folders = append(s.Folders, Folder{Path: place.Text{Value: path}})
	return &s.Folders[len(s.Folders)-1]
}

// declare is a document with the shares and folders that another declares besides: there it gives what it
// gives above them.
func declare(d, other gate.Document) gate.Document {
	with := *d.(*Document)
	with.Shares = slices.Clone(with.Shares)
	more := false
	for _, s := range other.(*Document).Shares {
		i := slices.IndexFunc(with.Shares, func(x Share) bool { return x.Share.Value == s.Share.Value })
		if i < 0 {
			with.Shares = append(with.Shares, Share{Share: s.Share})
			i, more = len(with.Shares)-1, true
		}
		own := &with.Shares[i]
		own.Folders = slices.Clone(own.Folders)
		for _, f := range s.Folders {
			if own.at(f.Path.Value) == nil {
				own.Folders, more = append(own.Folders, Folder{Path: f.Path}), true
			}
		}
	}
	if !more {
		return d // it declares all of them
	}
	return &with
}
