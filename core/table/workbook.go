package table

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"
)

// A workbook is a file in Office Open XML (ECMA-376, part 1, SpreadsheetML): an
// archive of parts. It is read here, and not by one of the large libraries,
// because a mark has to leave every other byte of every part as it was.
type workbook struct {
	parts   *zip.Reader
	size    int    // of the file, in bytes
	sheet   string // the name of the part that holds the sheet
	xml     []byte // what it holds
	texts   []string
	formats []format // of the cells, by the number of their style
	from    epoch
	merged  []string // areas of cells
}

// maxPart is how large a part with cells or texts may become when it is unpacked;
// maxSmall, one of the others.
const (
	maxPart  = 256 << 20
	maxSmall = 4 << 20
	// maxGrowth is how many times as large as the whole file a part may become, and
	// maxFree what it may hold in any case: workbooks are seldom packed below a
	// twentieth.
	maxGrowth = 60
	maxFree   = 4 << 20
)

// compound is how the files of older programs begin, and those with a password.
var compound = []byte("\xD0\xCF\x11\xE0\xA1\xB1\x1A\xE1")

// compoundProblem says why such a file cannot be read.
func compoundProblem(data []byte) error {
	encrypted := []byte("E\x00n\x00c\x00r\x00y\x00p\x00t\x00e\x00d\x00P\x00a\x00c\x00k\x00a\x00g\x00e\x00")
	if bytes.Contains(data, encrypted) {
		return errors.New("it is protected by a password: save a copy without one")
	}
	return errors.New("it is a workbook of the old kind: save it as XLSX")
}

// parseWorkbook reads a sheet of a workbook: the named one, or the first that is
// not hidden.
func parseWorkbook(data []byte, sheet string) (*Table, error) {
	parts, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, errDamaged
	}
	w := &workbook{parts: parts, size: len(data)}
	t := &Table{file: w}
	if err := w.open(t, sheet); err != nil {
		return nil, err
	}
	return t, w.read(t)
}

var errDamaged = errors.New("it is no workbook, or a damaged one: open it in the spreadsheet and save it again")

// relations are the parts that a part refers to.
type relations struct {
	List []struct {
		ID     string `xml:"Id,attr"`
		Type   string `xml:"Type,attr"`
		Target string `xml:"Target,attr"`
	} `xml:"Relationship"`
}

// A bookPart is the part of a workbook that says which sheets it has.
type bookPart struct {
	Properties struct {
		From1904 string `xml:"date1904,attr"`
	} `xml:"workbookPr"`
	Sheets []struct {
		Name  string     `xml:"name,attr"`
		State string     `xml:"state,attr"`
		Attrs []xml.Attr `xml:",any,attr"`
	} `xml:"sheets>sheet"`
}

// sheet is the number of the sheet of a name, or of the first one that is shown; -1 for none. It
// returns the names of all as well.
func (b *bookPart) sheet(name string) (chosen int, names []string) {
	chosen = -1
	for i, s := range b.Sheets {
		names = append(names, s.Name)
		if chosen < 0 && (name == "" && (s.State == "" || s.State == "visible") || name != "" && strings.EqualFold(s.Name, name)) {
			chosen = i
		}
	}
	return chosen, names
}

// open finds the sheet, and reads what its cells refer to.
func (w *workbook) open(t *Table, sheet string) error {
	var top relations
	if err := w.decode("_rels/.rels", &top); err != nil {
		return err
	}
	main := ""
	for _, r := range top.List {
		if strings.HasSuffix(r.Type, "/officeDocument") {
			main = target("", r.Target)
		}
	}
	var book bookPart
	var related relations
	if err := w.decode(main, &book); err != nil {
		return err
	}
	if err := w.decode(path.Join(path.Dir(main), "_rels", path.Base(main)+".rels"), &related); err != nil {
		return err
	}
	w.from = epoch1900
	if p := book.Properties.From1904; p == "1" || p == "true" {
		w.from = epoch1904
	}
	chosen, names := book.sheet(sheet)
	if chosen < 0 {
		return fmt.Errorf("it has no sheet \"%s\", only %s", sheet, strings.Join(names, ", "))
	}
	t.Sheet = names[chosen]
	t.Others = append(names[:chosen:chosen], names[chosen+1:]...)
	for _, r := range related.List {
		at := target(path.Dir(main), r.Target)
		switch kind := r.Type[strings.LastIndex(r.Type, "/")+1:]; kind {
		case "sharedStrings":
			if err := w.readTexts(at); err != nil {
				return err
			}
		case "styles":
			if err := w.readFormats(at); err != nil {
				return err
			}
		case "worksheet":
			for _, a := range book.Sheets[chosen].Attrs {
				if a.Name.Local == "id" && a.Value == r.ID {
					w.sheet = at
				}
			}
		}
	}
	var err error
	w.xml, err = w.part(w.sheet, maxPart)
	return err
}

// target is the name of a part that is referred to from a folder of parts.
func target(folder, name string) string {
	if strings.HasPrefix(name, "/") {
		return name[1:]
	}
	return path.Join(folder, name)
}

// part returns what a part holds, if that is not too large.
func (w *workbook) part(name string, most int) ([]byte, error) {
	for _, f := range w.parts.File {
		if f.Name != name {
			continue
		}
		r, err := f.Open()
		if err != nil {
			return nil, errDamaged
		}
		defer r.Close()
		limit := max(maxFree, maxGrowth*w.size)
		data, err := io.ReadAll(io.LimitReader(r, int64(min(most, limit))+1))
		switch {
		case err != nil:
			return nil, errDamaged
		case len(data) > limit:
			return nil, fmt.Errorf("its part %s is packed so closely that nobody wrote it, or damaged", name)
		case len(data) > most:
			return nil, fmt.Errorf("its part %s is larger than %d MB", name, most>>20)
		}
		return data, nil
	}
	return nil, errDamaged
}

func (w *workbook) decode(name string, into any) error {
	data, err := w.part(name, maxSmall)
	if err == nil && xml.Unmarshal(data, into) != nil {
		err = errDamaged
	}
	return err
}

// readTexts reads the texts that many cells share.
func (w *workbook) readTexts(name string) error {
	data, err := w.part(name, maxPart)
	if err != nil {
		return err
	}
	dec := newElements(data)
	for {
		token, err := dec.next()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return errDamaged
		}
		if start, ok := token.(xml.StartElement); ok && start.Name.Local == "si" {
			text, err := richText(dec, "si")
			if err != nil {
				return err
			}
			if w.texts = append(w.texts, text); len(w.texts) > MaxCells {
				return fmt.Errorf("it has more than %d texts", MaxCells)
			}
		}
	}
}

// richText returns the text up to the end of an element: all runs of it, without
// the readings that East Asian texts may have beside them.
func richText(dec *elements, element string) (string, error) {
	var text []byte
	inText, aside := false, false
	for {
		token, err := dec.next()
		if err != nil {
			return "", errDamaged
		}
		switch x := token.(type) {
		case xml.StartElement:
			inText = x.Name.Local == "t"
			aside = aside || x.Name.Local == "rPh"
		case xml.CharData:
			if inText && !aside && len(text) <= 4*MaxText {
				text = append(text, x...)
			}
		case xml.EndElement:
			inText = false
			switch x.Name.Local {
			case "rPh":
				aside = false
			case element:
				return unescaped(string(text)), nil
			}
		}
	}
}

// readFormats reads how the numbers of cells are shown.
func (w *workbook) readFormats(name string) error {
	var styles struct {
		Own []struct {
			ID   int    `xml:"numFmtId,attr"`
			Code string `xml:"formatCode,attr"`
		} `xml:"numFmts>numFmt"`
		Cells []struct {
			ID int `xml:"numFmtId,attr"`
		} `xml:"cellXfs>xf"`
	}
	if err := w.decode(name, &styles); err != nil {
		return err
	}
	own := map[int]format{}
	for _, f := range styles.Own {
		own[f.ID] = parseFormat(f.Code)
	}
	for _, c := range styles.Cells {
		f, ok := own[c.ID]
		if !ok {
			f = builtInFormat(c.ID)
		}
		w.formats = append(w.formats, f)
	}
	return nil
}
