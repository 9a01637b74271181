package httpapi

import "sync"

// Bounds of the streams of one replica.
const (
	streamsOfOne = 10   // open streams of one operator
	streamsOfAll = 1000 // open streams
)

// streams counts the open streams of each operator.
type streams struct {
	mu   sync.Mutex
	open map[string]int
	all  int
}

func newStreams() *streams { return &streams{open: map[string]int{}} }

// begin counts a stream; it is false when there are too many.
func (s *streams) begin(operator string) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.all >= streamsOfAll || s.open[operator] >= streamsOfOne {
		return false
	}
	s.all++
	s.open[operator]++
	return true
}

func (s *streams) end(operator string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.all--
	if s.open[operator]--; s.open[operator] == 0 {
		delete(s.open, operator)
	}
}
