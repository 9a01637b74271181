package main

import (
	"os"
	"path/filepath"
)

// publicStatus is where everybody may read how the device stands; what the agent keeps is beside it, and closed.
var publicStatus = filepath.Join(os.Getenv("ProgramData"), "Rank Warden Status", "status.json")
