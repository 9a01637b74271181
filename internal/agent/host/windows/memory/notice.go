package memory

// SignInNotice implements [windows.System].
func (s *System) SignInNotice() (title, text string, err error) {
	end, err := s.call("RegQueryValueEx")
	defer end()
	return s.notice[0], s.notice[1], err
}

// SetSignInNotice implements [windows.System].
func (s *System) SetSignInNotice(title, text string) error {
	end, err := s.call("RegSetValueEx")
	defer end()
	if err == nil {
		s.notice = [2]string{title, text}
	}
	return err
}
