package scenario

import (
	"bufio"
	"bytes"
	"encoding/json"
	"io"
)

// WriteJSON writes the resolution of every device, sorted by name, with two spaces of indentation. Its
// errors are those of the writer.
func (s *Result) WriteJSON(w io.Writer) error {
	out := bufio.NewWriter(w)
	out.WriteString("{\n  \"format\": \"" + ResolutionFormat + "\",\n  \"devices\": [")
	var indented bytes.Buffer
	for i := range s.Devices {
		data, err := json.Marshal(s.Device(i))
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
		if _, err := out.Write(indented.Bytes()); err != nil {
			return err
		}
	}
	if len(s.Devices) > 0 {
		out.WriteString("\n  ")
	}
	out.WriteString("]\n}\n")
	return out.Flush()
}
