// Package report reads and writes sound reports as CSV (RFC 4180): a row a take, in the manner of
// the sheets that recordists keep. There is no standard for the headings, so columns are recognised
// by the words that are used for them.
package report

import (
	"encoding/csv"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"zestyloom/core/columns"
	"zestyloom/core/snag"
)

// Row is a take in a report. Text that is not given is empty; Flags are nil where the report has no
// column for them.
type Row struct {
	Line    int // in the file, from 1
	File    string
	Day     string
	Scene   string
	Take    string
	Roll    string
	Start   string // timecode
	Length  string
	Note    string
	Circled *bool
	Wild    *bool
	NoGood  *bool
	// FalseStart is printed, and not among the columns of a CSV.
	FalseStart *bool
	Tracks     []string // labels, in order
}

// Report is a report that was read.
type Report struct {
	columns.Table
	Rows []Row
}

const maxTracks = 256

// Fields are what a column of a report can hold, with the words that are used for it; track 1, track 2 and so on besides.
var Fields = []columns.Field{
	{Name: "file", Says: "name of a file", Words: []string{"file", "file name", "filename", "name", "clip", "datei", "dateiname", "fichier", "nom du fichier", "archivo", "nombre de archivo", "nome file", "nome del file", "ficheiro", "arquivo", "bestand", "bestandsnaam", "fil", "filnamn", "filnavn"}},
	{Name: "day", Says: "day of recording", Words: []string{"date", "day", "shoot date", "datum", "drehtag", "tag", "jour", "fecha", "data", "giorno", "dia", "dato", "dag"}},
	{Name: "scene", Says: "scene", Words: []string{"scene", "sc", "scene no", "scene number", "slate", "szene", "bild", "einstellung", "sequence", "plan", "escena", "secuencia", "scena", "cena", "scen"}},
	{Name: "take", Says: "take", Words: []string{"take", "tk", "take no", "take number", "klappe", "prise", "toma", "ciak", "ripresa", "tomada", "tagning", "opname"}},
	{Name: "roll", Says: "roll", Words: []string{"roll", "tape", "reel", "sound roll", "card", "rolle", "tonrolle", "band", "karte", "bobine", "carte", "rollo", "tarjeta", "rullo", "scheda", "rolo", "cartao", "rol", "rulle", "kort"}},
	{Name: "start", Says: "start, as timecode", Words: []string{"start", "start tc", "timecode", "tc", "start timecode", "tc in", "anfang", "beginn", "startzeit", "debut", "inicio", "inizio"}},
	{Name: "length", Says: "length", Words: []string{"length", "duration", "dur", "lange", "dauer", "duree", "duracion", "durata", "duracao", "duur", "lengte", "langd", "lengde", "laengde"}},
	{Name: "circled", Says: "circled", Words: []string{"circled", "circle", "print", "selected", "kopierer", "kopie", "retenue", "cerclee", "buena", "scelta", "escolhida"}},
	{Name: "wild", Says: "wild track", Words: []string{"wild", "wild track", "nur ton", "son seul", "solo sonido", "sonido solo", "fuori campo"}},
	{Name: "no good", Says: "no good", Words: []string{"no good", "ng", "nicht gut", "mauvaise", "mala"}},
	{Name: "note", Says: "note", Words: []string{"note", "notes", "comment", "comments", "remarks", "remark", "bemerkung", "bemerkungen", "notiz", "notizen", "anmerkung", "anmerkungen", "remarque", "remarques", "commentaire", "commentaires", "observations", "nota", "notas", "observaciones", "comentarios", "osservazioni", "commenti", "observacoes", "opmerking", "opmerkingen", "anmarkning", "merknad", "bemaerkning"}},
	{Name: "tracks", Says: "labels of tracks, such as T1 Boom, T2 Lav", Words: []string{"tracks", "track names", "channels", "channel names", "spuren", "pistes", "pistas", "tracce", "canali", "faixas", "sporen", "spor"}},
	{Name: "note and tracks", Says: "note, with labels of tracks in it"},
}

var trackHeading = regexp.MustCompile(`^(?:` + trackWords + `|t|a) ?0*([0-9]{1,3})(?: name| label)?$`)

// trackWords are what a track is called.
const trackWords = `track|trk|tr|channel|chan|ch|strand|iso|spur|kanal|piste|voie|canal|pista|traccia|canale|faixa|spoor|spor`

// Kind is how reports are recognised: a line that names a scene, a take or a file, with something else.
var Kind = columns.Kind{
	Fields: Fields,
	Field: func(heading string) string {
		if m := trackHeading.FindStringSubmatch(heading); m != nil {
			if n, err := strconv.Atoi(m[1]); err == nil && n >= 1 && n <= maxTracks {
				return "track " + strconv.Itoa(n)
			}
		}
		return ""
	},
	Enough: func(fields []string) bool {
		key, known := false, 0
		for _, f := range fields {
			key = key || f == "scene" || f == "take" || f == "file"
			if f != "" {
				known++
			}
		}
		return key && known >= 2
	},
}

// Read reads a report, as it is said or by what its headings say. Lines before the headings, as some programs write them, are
// passed over. What is no table is refused; one whose headings are not recognised has no rows.
func Read(text []byte, as *columns.Mapping) (*Report, error) {
	if as != nil {
		if wrong := Kind.Check(as.Fields); wrong != "" {
			return nil, snag.Refuse("bad_columns", "a column of a sound report can't hold %q, or two hold it", wrong)
		}
	}
	out := &Report{Table: columns.Read(columns.Decode(text), Kind, as)}
	if len(out.Columns) == 0 {
		return nil, snag.Refuse("bad_report", "this is no table: no line has columns such as scene, take, file name or track 1, with commas, semicolons or tabs between them")
	}
	if !out.Recognised {
		return out, nil
	}
	if as == nil {
		out.noted()
	}
	for _, l := range out.Lines {
		if row, ok := out.row(l.Cells, l.Number); ok {
			out.Rows = append(out.Rows, row)
		}
	}
	return out, nil
}

// noted finds out whether the notes have the labels of tracks in them, where no column has.
func (r *Report) noted() {
	i := slices.IndexFunc(r.Columns, func(c columns.Column) bool { return c.Field == "note" })
	if i < 0 || slices.ContainsFunc(r.Columns, func(c columns.Column) bool { return strings.HasPrefix(c.Field, "track") }) {
		return
	}
	with, all := 0, 0
	for _, l := range r.Lines {
		if i < len(l.Cells) && l.Cells[i] != "" {
			if all++; len(labelsIn(l.Cells[i])) > 1 {
				with++
			}
		}
	}
	if with > 0 && 2*with >= all {
		r.Columns[i].Field = "note and tracks"
	}
}

var trackMark = regexp.MustCompile(`(?i)(?:^|[\s,;/|(])(?:(?:` + trackWords + `|t)\.? ?0*([1-9][0-9]{0,2})\b\s*[:=.)-]?|0*([1-9][0-9]{0,2})\s*[:=])`)

// labelsIn finds the labels of tracks in one text, such as "T1 Boom, T2 Lav Ben" or "1: Boom; 2: Lav Ben".
func labelsIn(text string) map[int]string {
	marks := trackMark.FindAllStringSubmatchIndex(text, maxTracks)
	out := map[int]string{}
	for i, m := range marks {
		end := len(text)
		if i+1 < len(marks) {
			end = marks[i+1][0]
		}
		digits := text[max(m[2], 0):max(m[3], 0)]
		if m[2] < 0 {
			digits = text[m[4]:m[5]]
		}
		label := text[m[1]:end]
		if i+1 == len(marks) { // a remark may follow
			label, _, _ = strings.Cut(label, ";")
			label, _, _ = strings.Cut(label, ". ")
		}
		label = strings.Trim(label, " ,;/|()-\t")
		if n, err := strconv.Atoi(digits); err == nil && n <= maxTracks && label != "" && out[n] == "" {
			out[n] = label
		}
	}
	return out
}

func (r *Report) row(cells []string, line int) (Row, bool) {
	row := Row{Line: line}
	any := false
	for i, v := range cells {
		if i >= len(r.Columns) {
			break
		}
		if v = plain(strings.TrimSpace(v)); v != "" {
			any = true
		}
		flag := func() *bool {
			b := truth(v)
			return &b
		}
		f := r.Columns[i].Field
		if f == "tracks" || f == "note and tracks" {
			for n, label := range labelsIn(v) {
				row.label(n, label)
			}
		}
		switch f {
		case "scene":
			row.Scene = v
		case "take":
			row.Take = v
		case "roll":
			row.Roll = v
		case "file":
			row.File = v
		case "start":
			row.Start = v
		case "length":
			row.Length = v
		case "note", "note and tracks":
			row.Note = v
		case "tracks":
		case "day":
			row.Day = v
		case "circled":
			row.Circled = flag()
		case "wild":
			row.Wild = flag()
		case "no good":
			row.NoGood = flag()
		default:
			if n, err := strconv.Atoi(strings.TrimPrefix(f, "track ")); err == nil {
				row.label(n, v)
			}
		}
	}
	return row, any
}

// label is the label of a track, from 1.
func (r *Row) label(n int, label string) {
	for len(r.Tracks) < n {
		r.Tracks = append(r.Tracks, "")
	}
	r.Tracks[n-1] = label
}

// truth reads a flag: anything but nothing, no, false and 0 is true.
func truth(s string) bool {
	switch strings.ToLower(s) {
	case "", "no", "n", "false", "0", "-", "nein", "non", "nao", "não", "nee", "nej", "nei":
		return false
	}
	return true
}

// Write writes rows as a report that Read reads.
func Write(w io.Writer, rows []Row) error {
	most := 0
	for _, r := range rows {
		most = max(most, len(r.Tracks))
	}
	head := []string{"File name", "Date", "Scene", "Take", "Roll", "Start TC", "Length", "Circled", "Wild track", "No good", "Note"}
	for n := range most {
		head = append(head, fmt.Sprintf("Track %d", n+1))
	}
	c := csv.NewWriter(w)
	c.UseCRLF = true // RFC 4180
	if err := c.Write(head); err != nil {
		return err
	}
	for _, r := range rows {
		cells := []string{r.File, r.Day, r.Scene, r.Take, r.Roll, r.Start, r.Length, yes(r.Circled), yes(r.Wild), yes(r.NoGood), r.Note}
		cells = append(cells, r.Tracks...)
		for len(cells) < len(head) {
			cells = append(cells, "")
		}
		for i := range cells {
			cells[i] = Cell(cells[i])
		}
		if err := c.Write(cells); err != nil {
			return err
		}
	}
	c.Flush()
	return c.Error()
}

// Cell is a text as it stands in a cell of a CSV table: behind an apostrophe where a spreadsheet would take it
// for a formula. Numbers with a sign stay as they are.
func Cell(s string) string {
	// What a spreadsheet takes off before it looks hides nothing from it.
	bare := strings.TrimLeftFunc(s, unicode.IsSpace)
	if s == "" || !strings.ContainsRune("\t\r\n", rune(s[0])) && (bare == "" || !strings.ContainsRune("=+-@|%＝＋－＠", []rune(bare)[0])) {
		return s
	}
	if _, err := strconv.ParseFloat(s, 64); err == nil {
		return s
	}
	return "'" + s
}

// plain is the text of a cell: Cell's inverse.
func plain(s string) string {
	if rest, ok := strings.CutPrefix(s, "'"); ok && Cell(rest) != rest {
		return rest
	}
	return s
}

func yes(b *bool) string {
	if b != nil && *b {
		return "yes"
	}
	return ""
}
