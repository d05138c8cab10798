package address

import (
	"errors"
	"net/url"
	"path/filepath"
	"slices"
	"strings"
	"unicode/utf8"
)

// What an address on a drive can have wrong.
var (
	ErrSecret = errors.New("an address holds no name and no password: leave out what stands before the @")
	ErrURL    = errors.New("that is no address of a drive: one begins with https:// and the name of its server")
)

// schemes are the ways to a drive that are spoken.
var schemes = []string{"https", "http"}

// OfURL is the address of what lies on a drive, which is written as a URL. The error is
// [ErrSecret], [ErrURL], or tells that its signs cannot be read.
//
// An address on a drive is kept as a path from the root of this disk, by the scheme and the
// server ("/https:/host/dav/Clients"), with its names as they are: so it is joined, cut and
// compared as all others are, and no folder of a disk is called so.
func OfURL(text string) (Address, error) {
	u, err := url.Parse(strings.ReplaceAll(text, " ", "%20"))
	switch {
	case err != nil && strings.Contains(text, "@"), err == nil && u.User != nil: // it is not repeated
		return "", ErrSecret
	case err != nil, !slices.Contains(schemes, u.Scheme), u.Host == "", u.RawQuery != "", u.Fragment != "":
		return "", ErrURL
	}
	sep := string(filepath.Separator)
	top := filepath.VolumeName(sep+sep+u.Scheme+":"+sep+u.Host) + sep
	if top == sep { // where volumes have no names
		top += u.Scheme + ":" + sep + strings.ToLower(u.Host) + sep
	}
	return Address(filepath.Clean(top + filepath.FromSlash(strings.Trim(u.Path, "/")))), nil
}

// cut takes an address on a drive apart.
func (a Address) cut() (scheme, host, path string, is bool) {
	rest := filepath.ToSlash(string(a))
	if !strings.HasPrefix(rest, "/http") && !strings.HasPrefix(rest, "//http") {
		return "", "", "", false
	}
	scheme, rest, is = strings.Cut(strings.TrimLeft(rest, "/"), ":/")
	if !is || !slices.Contains(schemes, scheme) {
		return "", "", "", false
	}
	host, path, _ = strings.Cut(rest, "/")
	return scheme, host, path, host != ""
}

// OnDrive reports whether it lies on a drive.
func (a Address) OnDrive() bool {
	_, _, _, is := a.cut()
	return is
}

// URL is an address on a drive as it is written, nil for one of this disk.
func (a Address) URL() *url.URL {
	scheme, host, path, is := a.cut()
	if !is {
		return nil
	}
	return &url.URL{Scheme: scheme, Host: host, Path: "/" + path}
}

// Server is the topmost address of the server that it lies on; "" for one of this disk.
func (a Address) Server() Address {
	_, _, path, is := a.cut()
	if !is {
		return ""
	}
	return Address(strings.TrimRight(string(a)[:len(a)-len(path)], `/\`))
}

// A Drive is what a person calls a drive, and where that is.
type Drive struct {
	Name string
	At   Address
}

// Drives are those that a person has given names.
type Drives []Drive

// Read is the address that a word stands for, "" for a word that is none: a URL, or the name of a
// drive, a colon and a path there.
func (d Drives) Read(word string) (Address, error) {
	for _, scheme := range schemes {
		if len(word) > len(scheme)+2 && strings.EqualFold(word[:len(scheme)+3], scheme+"://") {
			return OfURL(scheme + word[len(scheme):])
		}
	}
	name, path, is := strings.Cut(word, ":")
	if !is || name == "" {
		return "", nil
	}
	for _, one := range d {
		if one.Name == name {
			if path = filepath.Clean(string(filepath.Separator) + filepath.FromSlash(path)); len(path) > 1 {
				return Address(string(one.At) + path), nil
			}
			return one.At, nil
		}
	}
	return "", nil
}

// Show writes an address as a person does: by the name of its drive, else as a URL with its
// letters as they are. One of this disk is itself.
func (d Drives) Show(a Address) string {
	best := Drive{}
	for _, one := range d {
		if len(one.At) > len(best.At) && a.Within(one.At) {
			best = one
		}
	}
	if best.Name != "" {
		below, _ := a.From(best.At)
		return best.Name + ":" + strings.TrimPrefix(below, ".")
	}
	if scheme, host, path, is := a.cut(); is {
		return scheme + "://" + host + "/" + path
	}
	return string(a)
}

// ShowIn is a text in which each address on a drive is written as [Drives.Show] does. What follows
// the name of the server stays as it is.
func (d Drives) ShowIn(text string) string {
	if !strings.Contains(text, "http") {
		return text
	}
	sep := string(filepath.Separator)
	for _, one := range slices.SortedFunc(slices.Values(d), func(a, b Drive) int { return len(b.At) - len(a.At) }) {
		for _, at := range []string{string(one.At), one.At.Slashed()} {
			text = strings.ReplaceAll(text, at+sep, one.Name+":")
			text = strings.ReplaceAll(text, at+"/", one.Name+":")
			text = replaceWhole(text, at, one.Name+":")
		}
	}
	for _, scheme := range schemes {
		for _, lead := range []string{sep + sep + scheme + ":" + sep, "//" + scheme + ":/", "/" + scheme + ":/"} {
			text = leading(text, lead, scheme+"://")
		}
	}
	return text
}

// replaceWhole replaces a path where no name goes on behind it.
func replaceWhole(text, at, by string) string {
	var b strings.Builder
	for {
		i := strings.Index(text, at)
		if i < 0 {
			return b.String() + text
		}
		end := i + len(at)
		b.WriteString(text[:i])
		if end == len(text) || strings.ContainsRune("\"”’'`,;:) \n", rune(text[end])) || text[end] >= 0x80 {
			b.WriteString(by)
		} else {
			b.WriteString(at)
		}
		text = text[end:]
	}
}

// beginning are the signs behind which a path can begin.
const beginning = " \t\n\r\"'`“‘„(<>[{=,;|→»\u00a0"

// leading replaces what begins an address, where no path goes on before it and it is none already.
func leading(text, lead, by string) string {
	var b strings.Builder
	for {
		i := strings.Index(text, lead)
		if i < 0 {
			return b.String() + text
		}
		b.WriteString(text[:i])
		before, _ := utf8.DecodeLastRuneInString(b.String())
		if end := i + len(lead); end < len(text) && text[end] != '/' && (b.Len() == 0 || strings.ContainsRune(beginning, before)) {
			b.WriteString(by)
		} else {
			b.WriteString(lead)
		}
		text = text[i+len(lead):]
	}
}
