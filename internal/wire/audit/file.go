package audit

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"
)

// line is one of an export in JSON lines: an entry with its hash, a checkpoint behind the entry with which it ends, or
// at the end how many entries there were.
type line struct {
	Entry
	Hash    []byte `json:"hash"`
	Entries *int64 `json:"entries,omitempty"`
	Proof
}

// WriteEntry writes an entry as a line of JSON.
func WriteEntry(w io.Writer, e Entry) error {
	return json.NewEncoder(w).Encode(struct {
		Entry
		Hash []byte `json:"hash"`
	}{e, e.Hash})
}

// WriteProof writes a checkpoint, behind the entry with which it ends.
func WriteProof(w io.Writer, p Proof) error { return json.NewEncoder(w).Encode(p) }

// WriteEnd ends an export, so that one that was cut is known as such.
func WriteEnd(w io.Writer, entries int64) error {
	return json.NewEncoder(w).Encode(struct {
		Entries int64 `json:"entries"`
	}{entries})
}

// Verdict is what an export was found to be.
type Verdict struct {
	First, Last int64
	// Anchored is the last checkpoint that the entries agree with, nil for none.
	Anchored *Checkpoint
	Entries  int64
}

// mostLine bounds a line of an export, in bytes.
const mostLine = 16 << 20

// VerifyFile reads an export in JSON lines, and proves it against checkpoints and the fingerprint of the root key.
// Those within it count too. Its error is a [*Broken], or says what keeps the export from being read.
func VerifyFile(export io.Reader, root string, checkpoints []Proof) (v Verdict, err error) {
	var anchors []Checkpoint
	for _, p := range checkpoints {
		c, err := p.Open(root)
		if err != nil {
			return v, err
		}
		anchors = append(anchors, c)
	}
	chain, ended := NewChain(anchors), false
	lines := bufio.NewScanner(export)
	lines.Buffer(nil, mostLine)
	for n := 1; lines.Scan(); n++ {
		var l line
		if err := json.Unmarshal(lines.Bytes(), &l); err != nil {
			return v, fmt.Errorf("line %d is no entry of an export in JSON lines: %w", n, err)
		}
		switch {
		case ended:
			return v, fmt.Errorf("line %d stands behind the end of the export", n)
		case l.Entries != nil:
			ended = true
			if *l.Entries != v.Entries {
				return v, fmt.Errorf("the export says that it has %d entries, and has %d", *l.Entries, v.Entries)
			}
		case l.Checkpoint != "":
			p, err := l.Open(root)
			if err == nil {
				err = chain.agrees(p)
			}
			if err != nil {
				return v, fmt.Errorf("line %d: %w", n, err)
			}
		default:
			l.Entry.Hash = l.Hash
			if err := asWritten(lines.Bytes(), l.Entry); err != nil {
				return v, fmt.Errorf("line %d: %w", n, err)
			}
			if err := chain.Follow(l.Entry); err != nil {
				return v, err
			}
			v.Entries++
		}
		v.First, v.Last, v.Anchored = chain.First, chain.Last, chain.Anchored
	}
	if err := lines.Err(); err != nil {
		return v, fmt.Errorf("reading the export: %w", err)
	}
	if err := chain.End(); err != nil {
		return v, err
	}
	if !ended {
		return v, errors.New("the export has no end: it was cut, or its last line was taken away; export again")
	}
	return v, nil
}

// asWritten refuses a line that an export would not write for the entry that was read from it. A program that reads
// JSON takes the last of two keys, keys in other letters, and ignores those that it does not know; a person who reads
// the line may believe the other one.
func asWritten(found []byte, e Entry) error {
	var canonical bytes.Buffer
	if err := WriteEntry(&canonical, e); err != nil {
		return err
	}
	if !bytes.Equal(bytes.TrimSuffix(canonical.Bytes(), []byte("\n")), found) {
		return &Broken{e.Seq, "its line is not as an export writes it: a key is there twice, is unknown, or is " +
			"written otherwise"}
	}
	return nil
}

// CSVHead are the titles of an export as CSV.
var CSVHead = []string{"entry", "time", "who", "from", "action", "on", "outcome", "reason", "before", "after"}

// WriteCSV writes an entry as a row (RFC 4180). A cell that begins like a formula is kept from being one.
func WriteCSV(w *csv.Writer, e Entry) error {
	row := []string{
		strconv.FormatInt(e.Seq, 10),
		e.At.UTC().Format(time.RFC3339Nano),
		e.Actor,
		e.Address,
		e.Action,
		e.Object,
		string(e.Outcome),
		e.Reason,
		string(e.Before),
		string(e.After),
	}
	return WriteRow(w, row)
}

// WriteRow writes a row of CSV in which no cell is a formula.
func WriteRow(w *csv.Writer, row []string) error {
	for i, cell := range row {
		if strings.IndexAny(cell, "=+-@\t\r") == 0 {
			row[i] = "'" + cell
		}
	}
	return w.Write(row)
}
