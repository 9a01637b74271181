package escrow

// ChallengeFormat is the format of a challenge.
const ChallengeFormat = "rankwarden.challenge/1"

// Challenge proves, when it is answered, that a copy of a private key exists.
type Challenge struct {
	Format string `json:"format"`
	About  About  `json:"about"`
	Sealed []byte `json:"sealed"`
}

// Answer opens the challenge.
func (c Challenge) Answer(copy Opener) (string, error) { return copy.Open(c.About, c.Sealed) }
