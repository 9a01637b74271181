package main

import (
	"context"
	"fmt"
	"log/slog"
	"strings"
	"time"

	"golang.org/x/sys/windows/svc"
	"golang.org/x/sys/windows/svc/eventlog"
	"golang.org/x/sys/windows/svc/mgr"
)

// serviceName is that of the Windows service, and of what writes its events.
const serviceName = "rankwarden-agent"

// After how long, and until when, a service that failed is started again; the count begins again after so many seconds.
const (
	restartAfter = time.Minute
	forgetAfter  = 86400
)

// execute runs the command; started by the service manager, as its service.
func execute(ctx context.Context) error {
	is, err := svc.IsWindowsService()
	if err != nil || !is {
		return root().ExecuteContext(ctx)
	}
	events, err := eventlog.Open(serviceName)
	if err != nil {
		return fmt.Errorf("opening the event log: %w", err)
	}
	defer events.Close()
	slog.SetDefault(slog.New(slog.NewTextHandler(eventWriter{events}, &slog.HandlerOptions{ReplaceAttr: withoutTime})))
	if err := startsAgain(); err != nil {
		slog.Warn("the service would not start again by itself after a failure", "error", err)
	}
	return svc.Run(serviceName, service{})
}

// startsAgain has the service started again after a failure, whoever installed it.
func startsAgain() error {
	manager, err := mgr.Connect()
	if err != nil {
		return err
	}
	defer func() { _ = manager.Disconnect() }()
	own, err := manager.OpenService(serviceName)
	if err != nil {
		return err
	}
	defer own.Close()
	again := mgr.RecoveryAction{Type: mgr.ServiceRestart, Delay: restartAfter}
	return own.SetRecoveryActions([]mgr.RecoveryAction{again, again, again}, forgetAfter)
}

// withoutTime leaves out the time, which the event log writes itself.
func withoutTime(groups []string, a slog.Attr) slog.Attr {
	if len(groups) == 0 && a.Key == slog.TimeKey {
		return slog.Attr{}
	}
	return a
}

// eventWriter writes each line as an event, by its level.
type eventWriter struct{ *eventlog.Log }

// eventID is that of all events; what they say stands in their text.
const eventID = 1

func (w eventWriter) Write(line []byte) (int, error) {
	text := strings.TrimSpace(string(line))
	write := w.Info
	switch {
	case strings.HasPrefix(text, "level=ERROR"):
		write = w.Error
	case strings.HasPrefix(text, "level=WARN"):
		write = w.Warning
	}
	return len(line), write(eventID, text)
}

// service answers the service manager.
type service struct{}

// Execute implements [svc.Handler].
func (service) Execute(_ []string, requests <-chan svc.ChangeRequest, status chan<- svc.Status) (bool, uint32) {
	const takes = svc.AcceptStop | svc.AcceptShutdown
	status <- svc.Status{State: svc.StartPending}
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	ended := make(chan error, 1)
	go func() {
		args, err := settings()
		if err != nil {
			ended <- err
			return
		}
		command := root()
		command.SetArgs(args)
		ended <- command.ExecuteContext(ctx)
	}()
	status <- svc.Status{State: svc.Running, Accepts: takes}
	for {
		select {
		case err := <-ended:
			status <- svc.Status{State: svc.StopPending}
			if err != nil && ctx.Err() == nil {
				slog.Error("the agent ended", "error", err)
				return true, 1
			}
			return false, 0
		case r := <-requests:
			switch r.Cmd {
			case svc.Interrogate:
				status <- r.CurrentStatus
			case svc.Stop, svc.Shutdown:
				status <- svc.Status{State: svc.StopPending}
				stop()
			}
		}
	}
}
