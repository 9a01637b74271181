package principal

// Directory is what an organisation's directory knows of people and groups.
type Directory interface {
	// SID is the security identifier of a user: or group: reference.
	SID(ref Ref) (SID, bool)
	// Ref is the reference that has the identifier.
	Ref(sid SID) (Ref, bool)
	// Object is the reference of a directory object.
	Object(guid GUID) (Ref, bool)
	// Near are references that look like one that is not known, the likeliest first.
	Near(ref Ref) []Ref
}

// Entry is one person or group of a directory. GUID is zero where the directory gave none.
type Entry struct {
	Ref  Ref  `json:"ref"`
	SID  SID  `json:"sid"`
	GUID GUID `json:"guid,omitzero"`
}

// Normal is a reference in the form that memberships have: an identifier that the directory, nil for none, knows
// becomes its user: or group: reference.
func Normal(ref Ref, directory Directory) Ref {
	known, ok := ref, false
	if directory != nil {
		switch ref.Kind() {
		case Bare:
			known, ok = directory.Ref(ref.SID())
		case Object:
			known, ok = directory.Object(ref.GUID())
		}
	}
	if ok {
		return known
	}
	return ref
}

// Table is a [Directory] held in memory. The zero Table knows nobody.
type Table struct {
	entries []Entry
	byRef   map[Ref]SID
	bySID   map[SID]Ref
	byGUID  map[GUID]Ref
}

// NewTable makes a table of entries. Of two entries for one reference or identifier the later counts.
func NewTable(entries []Entry) *Table {
	t := &Table{
		entries: entries,
		byRef:   make(map[Ref]SID, len(entries)),
		bySID:   make(map[SID]Ref, len(entries)),
		byGUID:  map[GUID]Ref{},
	}
	for _, e := range entries {
		t.byRef[e.Ref] = e.SID
		t.bySID[e.SID] = e.Ref
		if !e.GUID.IsZero() {
			t.byGUID[e.GUID] = e.Ref
		}
	}
	return t
}

// SID implements [Directory].
func (t *Table) SID(ref Ref) (SID, bool) { sid, ok := t.byRef[ref]; return sid, ok }

// Ref implements [Directory].
func (t *Table) Ref(sid SID) (Ref, bool) { ref, ok := t.bySID[sid]; return ref, ok }

// Object implements [Directory].
func (t *Table) Object(guid GUID) (Ref, bool) { ref, ok := t.byGUID[guid]; return ref, ok }

// Near implements [Directory].
func (t *Table) Near(ref Ref) []Ref {
	refs := make([]Ref, 0, len(t.entries))
	for _, e := range t.entries {
		refs = append(refs, e.Ref)
	}
	return Nearest(ref, refs)
}

// Entries are those the table was made of.
func (t *Table) Entries() []Entry { return t.entries }
