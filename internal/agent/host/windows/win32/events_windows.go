package win32

import (
	"errors"
	"unsafe"

	"golang.org/x/sys/windows"

	host "rankwarden.example/internal/agent/host/windows"
)

const (
	securityLog = "Security"
	forever     = 0xffffffff // INFINITE
)

// handle is one of the event log.
type handle uintptr

func (h handle) close() { _, _, _ = evtClose.Call(uintptr(h)) }

// next are the next events of a result, none when there are no more for now.
func (h handle) next() ([]handle, error) {
	var events [64]handle
	var count uint32
	_, err := last(
		evtNext,
		uintptr(h),
		uintptr(len(events)),
		uintptr(unsafe.Pointer(&events[0])),
		forever,
		0,
		uintptr(unsafe.Pointer(&count)),
	)
	if errors.Is(err, host.Code(windows.ERROR_NO_MORE_ITEMS)) {
		return nil, nil
	}
	return events[:count], err
}

// xml is an event as text.
func (h handle) xml() (string, error) {
	buffer := make([]uint16, 2048)
	for {
		var used, properties uint32
		_, err := last(
			evtRender,
			0,
			uintptr(h),
			evtRenderEventXML,
			uintptr(2*len(buffer)),
			uintptr(unsafe.Pointer(&buffer[0])),
			uintptr(unsafe.Pointer(&used)),
			uintptr(unsafe.Pointer(&properties)),
		)
		if !errors.Is(err, host.Code(windows.ERROR_INSUFFICIENT_BUFFER)) {
			return windows.UTF16ToString(buffer), err
		}
		buffer = make([]uint16, used/2+1)
	}
}

// Events implements [host.System].
func (s *System) Events(query string, more func(event string) bool) error {
	log, err := wide(securityLog)
	if err != nil {
		return err
	}
	q, err := wide(query)
	if err != nil {
		return err
	}
	found, err := last(
		evtQuery,
		0,
		uintptr(unsafe.Pointer(log)),
		uintptr(unsafe.Pointer(q)),
		evtQueryChannelPath|evtQueryReverse,
	)
	if err != nil {
		return err
	}
	result := handle(found)
	defer result.close()
	for wanted := true; wanted; {
		events, err := result.next()
		if err != nil || len(events) == 0 {
			return err
		}
		for _, e := range events {
			if wanted && err == nil {
				var event string
				if event, err = e.xml(); err == nil {
					wanted = more(event)
				}
			}
			e.close()
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// Watch implements [host.System]. It goes on until the process ends.
func (s *System) Watch(query string, tell func()) error {
	log, err := wide(securityLog)
	if err != nil {
		return err
	}
	q, err := wide(query)
	if err != nil {
		return err
	}
	const manual, signalled = 1, 1
	signal, err := windows.CreateEvent(nil, manual, signalled, nil)
	if err != nil {
		return code(err)
	}
	subscribed, err := last(
		evtSubscribe,
		0,
		uintptr(signal),
		uintptr(unsafe.Pointer(log)),
		uintptr(unsafe.Pointer(q)),
		0,
		0,
		0,
		evtSubscribeToFuture,
	)
	if err != nil {
		return errors.Join(err, windows.CloseHandle(signal))
	}
	go watch(handle(subscribed), signal, tell)
	return nil
}

// watch tells of events whenever the signal says that there are some.
func watch(events handle, signal windows.Handle, tell func()) {
	for {
		if _, err := windows.WaitForSingleObject(signal, windows.INFINITE); err != nil {
			return
		}
		if windows.ResetEvent(signal) != nil {
			return
		}
		for {
			fresh, err := events.next()
			for _, e := range fresh {
				e.close()
			}
			if err != nil || len(fresh) == 0 {
				break
			}
			tell()
		}
	}
}
