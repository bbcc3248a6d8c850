package directory

import (
	"bytes"
	"hash/maphash"
	"strings"

	"gatemap/core/name"
	"gatemap/core/parallel"
	"gatemap/core/place"
)

// object is a user, group or device.
type object struct {
	kind string
	id   uint32
}

// dnIndex finds what bears a distinguished name: users, groups and devices,
// numbered in this order. Most references are spelled as the record spells its
// own name, so that few need the canonical form.
type dnIndex struct {
	written   []string // by number; empty for those that have none
	exact     index
	canonical index
	twice     bool // some stand there twice
}

// indexDNs notes who bears which distinguished name. Of several with the same
// one the last counts.
func (b *Book) indexDNs(errs *place.Errors) {
	x := &b.byDN
	x.written = make([]string, b.Users()+b.Groups()+b.Devices())
	x.exact, x.canonical = newIndex(len(x.written)), newIndex(len(x.written))
	exact, canonical, wrong := make([]uint64, len(x.written)), make([]uint64, len(x.written)), make([]bool, len(x.written))
	parallel.For(len(x.written), 4096, func(from, to int) {
		var short [256]byte
		for i := from; i < to; i++ {
			written, _ := b.bearer(uint32(i))
			x.written[i] = *written
			if dn, ok := name.AppendDN(short[:0], x.written[i]); ok {
				exact[i], canonical[i] = maphash.String(x.exact.seed, x.written[i]), x.canonical.hash(dn)
			} else {
				wrong[i] = x.written[i] != ""
			}
		}
	})
	for i := len(x.written) - 1; i >= 0; i-- {
		switch {
		case wrong[i]:
			_, at := b.bearer(uint32(i))
			errs.Addf(*at, "%q is not a distinguished name (RFC 4514)", x.written[i])
		case x.written[i] == "":
		case x.taken(uint32(i), canonical[i]):
			x.twice = true
			x.canonical.put(canonical[i], uint32(i)) // for those who ask for all of them
		default:
			x.exact.put(exact[i], uint32(i))
			x.canonical.put(canonical[i], uint32(i))
		}
	}
}

// taken says whether another has the same distinguished name.
func (x *dnIndex) taken(n uint32, hash uint64) bool {
	for other := range x.canonical.at(hash) {
		if mine, _ := name.DN(x.written[n]); x.is(other, []byte(mine)) {
			return true
		}
	}
	return false
}

func (x *dnIndex) is(n uint32, canonical []byte) bool {
	var short [256]byte
	dn, _ := name.AppendDN(short[:0], x.written[n])
	return bytes.Equal(dn, canonical)
}

func (x *dnIndex) find(dn string) (n uint32, ok bool) {
	if !strings.Contains(dn, "=") {
		return 0, false
	}
	for n := range x.exact.at(maphash.String(x.exact.seed, dn)) {
		if x.written[n] == dn {
			return n, true
		}
	}
	var short [256]byte
	canonical, ok := name.AppendDN(short[:0], dn)
	if !ok {
		return 0, false
	}
	for n := range x.canonical.at(x.canonical.hash(canonical)) {
		if x.is(n, canonical) {
			return n, true
		}
	}
	return 0, false
}

// ahead is how many references findAll looks up at the same time.
const ahead = 64

// findAll looks up references, at most ahead of them; it gives none for each
// that is spelled otherwise than by its record. Each step is taken for all
// before the next, so that the memory is waited for once and not for each.
func (x *dnIndex) findAll(refs []name.Ref) (found [ahead]uint32) {
	var hashes [ahead]uint64
	var written [ahead]string
	for i := range refs {
		hashes[i] = maphash.String(x.exact.seed, refs[i].Name)
	}
	x.exact.firsts(hashes[:len(refs)], &found)
	for i := range refs {
		if found[i] != none {
			written[i] = x.written[found[i]]
		}
	}
	for i := range refs {
		if !endsLike(written[i], refs[i].Name) {
			found[i] = none
		}
	}
	for i := range refs {
		if found[i] != none && written[i] != refs[i].Name {
			found[i] = none
		}
	}
	return found
}

// endsLike says whether texts are of one length and have the same ends. It brings the
// texts near.
func endsLike(a, b string) bool {
	return len(a) == len(b) && (a == "" || a[0] == b[0] && a[len(a)-1] == b[len(b)-1])
}

// named finds what bears a distinguished name.
func (b *Book) named(dn string) (object, bool) {
	if n, ok := b.byDN.find(dn); ok {
		if o := b.object(n); !b.went(o) {
			return o, true
		}
	}
	if len(b.dns) == 0 {
		return object{}, false
	}
	canonical, _ := name.DN(dn)
	o, ok := b.dns[canonical]
	return o, ok
}

// went says that something is there no longer.
func (b *Book) went(o object) bool {
	return o.kind == "group" && b.groups.went(o.id) || o.kind == "user" && b.users.went(o.id)
}

// bearer gives the distinguished name of what is to have a number in the index, and where
// its record stands.
func (b *Book) bearer(n uint32) (dn *string, at *place.Place) {
	switch o := b.object(n); o.kind {
	case "user":
		u := b.users.records[o.id]
		return &u.DN, &u.Place
	case "group":
		g := b.groups.records[o.id]
		return &g.DN, &g.Place
	default:
		d := b.devices.records[o.id]
		return &d.DN, &d.Place
	}
}

// object is what the index of distinguished names has under a number.
func (b *Book) object(n uint32) object {
	users, groups := uint32(b.users.built()), uint32(b.groups.built())
	switch {
	case n < users:
		return object{"user", n}
	case n < users+groups:
		return object{"group", n - users}
	}
	return object{"device", n - users - groups}
}
