package preview

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"slices"

	"rankwarden.example/core/effect"
)

// Format is the format of the document that [Preview.WriteJSON] writes.
const Format = "rankwarden.preview/1"

// Preview is what a change would do.
type Preview struct {
	Devices  int               // affected
	Sums     []effect.Sum      // by effect, setting and subject
	Affected []effect.Affected // by name
}

// TakesAway reports whether any effect does; see [effect.Effect.TakesAway].
func (p *Preview) TakesAway() bool { return slices.ContainsFunc(p.Sums, effect.Sum.TakesAway) }

// WriteJSON writes the document with two spaces of indentation, device by device. Its errors are those of the writer.
func (p *Preview) WriteJSON(w io.Writer) error {
	out := bufio.NewWriter(w)
	fmt.Fprintf(out, "{\n  \"format\": %q,\n  \"devices\": %d,\n", Format, p.Devices)
	if err := writeList(out, "sums", p.Sums); err != nil {
		return err
	}
	out.WriteString(",\n")
	if err := writeList(out, "affected", p.Affected); err != nil {
		return err
	}
	out.WriteString("\n}\n")
	return out.Flush()
}

func writeList[T any](out *bufio.Writer, key string, list []T) error {
	fmt.Fprintf(out, "  %q: [", key)
	var indented bytes.Buffer
	for i, item := range list {
		data, err := json.Marshal(item)
		if err != nil {
			return err
		}
		indented.Reset()
		if err := json.Indent(&indented, data, "    ", "  "); err != nil {
			return err
		}
		if i > 0 {
			out.WriteByte(',')
		}
		out.WriteString("\n    ")
		out.Write(indented.Bytes())
	}
	if len(list) > 0 {
		out.WriteString("\n  ")
	}
	out.WriteByte(']')
	return nil
}
