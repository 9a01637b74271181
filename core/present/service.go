package present

// Freeze names what a freeze stops, and says what that means.
func Freeze(all bool) (title, does string) {
	if all {
		return "Settling and rollouts are frozen", "No device gets another desired state, and no wave opens."
	}
	return "Rollouts are frozen", "No wave opens, and no rollout starts, resumes or ends."
}

// AfterReturn says what follows from the database having gone back, and what to do.
func AfterReturn(why string) string {
	return why + ". A new epoch began by itself: devices are told everything again, and give back the passwords that " +
		"the database lacks. What operators did shortly before may be missing: compare the end of the trail with " +
		"what you remember, and do it again"
}

// Mismatched says what is wrong with a device that holds what the service never gave it.
const Mismatched = "This device holds a desired state that the service does not know that it gave. Until a new epoch " +
	"begins it takes nothing that is published. If the database came back from a backup, run rankwardend restored on " +
	"the machine of the service"
