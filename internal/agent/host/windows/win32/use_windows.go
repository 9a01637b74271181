package win32

import (
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"golang.org/x/sys/windows"
	"golang.org/x/sys/windows/svc/mgr"

	host "rankwarden.example/internal/agent/host/windows"
)

// Services implements [host.System]. A service that ended while it was looked at is left out.
func (s *System) Services() ([]host.Runs, error) {
	manager, err := mgr.Connect()
	if err != nil {
		return nil, code(err)
	}
	defer func() { _ = manager.Disconnect() }()
	names, err := manager.ListServices()
	if err != nil {
		return nil, code(err)
	}
	var list []host.Runs
	for _, name := range names {
		service, err := manager.OpenService(name)
		if err != nil {
			continue
		}
		config, err := service.Config()
		if err == nil {
			list = append(list, host.Runs{Name: name, As: config.ServiceStartName})
		}
		_ = service.Close()
	}
	return list, nil
}

// tasksPatience is how long the system's tool for scheduled tasks may take.
const tasksPatience = time.Minute

// Tasks implements [host.System], from the tasks as schtasks writes them: documents one after the other, each with its
// name in a comment before it.
func (s *System) Tasks() ([]host.Runs, error) {
	system, err := windows.GetSystemDirectory()
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(context.Background(), tasksPatience)
	defer cancel()
	out, err := exec.CommandContext(ctx, filepath.Join(system, "schtasks.exe"), "/query", "/xml", "ONE").Output()
	if err != nil {
		return nil, fmt.Errorf("schtasks: %w", err)
	}
	return readTasks(fromUTF16(out))
}

// readTasks reads what schtasks writes; the encoding that its head declares is not that of the text.
func readTasks(text string) ([]host.Runs, error) {
	reader := xml.NewDecoder(bytes.NewReader([]byte(text)))
	reader.CharsetReader = func(_ string, in io.Reader) (io.Reader, error) { return in, nil }
	var list []host.Runs
	name := ""
	for {
		token, err := reader.Token()
		if errors.Is(err, io.EOF) {
			return list, nil
		}
		if err != nil {
			return nil, fmt.Errorf("what schtasks wrote: %w", err)
		}
		switch t := token.(type) {
		case xml.Comment:
			name = strings.TrimSpace(string(t))
		case xml.StartElement:
			if t.Name.Local != "UserId" {
				continue
			}
			var as string
			if err := reader.DecodeElement(&as, &t); err != nil {
				return nil, fmt.Errorf("what schtasks wrote: %w", err)
			}
			if r := (host.Runs{Name: name, As: as}); len(list) == 0 || list[len(list)-1] != r {
				list = append(list, r)
			}
		}
	}
}
