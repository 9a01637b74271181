package memory

import (
	"rankwarden.example/internal/agent/host/windows"
)

// AddGroup implements [windows.System].
func (s *System) AddGroup(name string) error {
	end, err := s.call("NetLocalGroupAdd")
	defer end()
	if err != nil {
		return err
	}
	if err := s.check(name, nil); err != nil {
		return err
	}
	s.groups[fold(name)] = &group{name: name, sid: s.sid(s.nextRID)}
	s.nextRID++
	return nil
}

// DeleteGroup implements [windows.System].
func (s *System) DeleteGroup(name string) error {
	end, err := s.call("NetLocalGroupDel")
	defer end()
	if err == nil && s.groups[fold(name)] == nil {
		err = windows.GroupNotFound
	}
	if err == nil {
		delete(s.groups, fold(name))
	}
	return err
}
