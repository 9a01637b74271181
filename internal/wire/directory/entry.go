// Package directory reads people and groups of an organisation from LDIF (RFC 2849) and over LDAP
// version 3 (RFC 4511).
package directory

import (
	"cmp"
	"fmt"
	"strings"

	"github.com/go-ldap/ldap/v3"

	"rankwarden.example/core/principal"
)

// Entry is a person or group.
type Entry struct {
	principal.Entry
	Name  string // as the directory writes it
	Title string // for people to read
	DN    string
	// Members are the distinguished names, normalised, of those in a group.
	Members []string
}

// NormalDN is a distinguished name by which entries are told apart (RFC 4514), empty for one that cannot be read.
func NormalDN(dn string) string {
	parsed, err := ldap.ParseDN(dn)
	if err != nil {
		return ""
	}
	return strings.ToLower(parsed.String())
}

// SkippedEntry is a person or group that cannot be named in a policy, and why.
type SkippedEntry struct {
	DN  string
	Why string
}

// attributes are those that are read; the identifiers have several names among directories.
var attributes = []string{
	"objectClass", "cn", "displayName", "uid", "sAMAccountName", "userPrincipalName",
	"objectSid", "sambaSID", "objectGUID", "entryUUID",
	"member", "uniqueMember", "memberUid",
}

// classes of objects that are people or groups (RFC 4519, and what is common beside it).
var classes = map[string]principal.Kind{
	"person": principal.User, "organizationalperson": principal.User, "inetorgperson": principal.User,
	"user":  principal.User,
	"group": principal.Group, "groupofnames": principal.Group, "groupofuniquenames": principal.Group,
	"posixgroup": principal.Group,
}

// take reads objects; what is neither a person nor a group is passed over.
func take(objects []*ldap.Entry) (entries []Entry, skipped []SkippedEntry) {
	seen, byUID := map[principal.Ref]string{}, map[string]string{}
	for _, object := range objects {
		if uid := object.GetEqualFoldAttributeValue("uid"); uid != "" {
			byUID[uid] = NormalDN(object.DN)
		}
	}
	for _, object := range objects {
		kind, found := kindOf(object)
		if !found {
			continue
		}
		entry, err := read(object, kind)
		if err == nil && seen[entry.Ref] != "" {
			err = fmt.Errorf("it has the same name as %s", seen[entry.Ref])
		}
		if err != nil {
			skipped = append(skipped, SkippedEntry{object.DN, err.Error()})
			continue
		}
		seen[entry.Ref] = object.DN
		if kind == principal.Group {
			entry.Members = membersOf(object, byUID)
		}
		entries = append(entries, entry)
	}
	return entries, skipped
}

func kindOf(object *ldap.Entry) (kind principal.Kind, found bool) {
	for _, class := range object.GetEqualFoldAttributeValues("objectClass") {
		if strings.EqualFold(class, "computer") {
			return 0, false
		}
		if k, known := classes[strings.ToLower(class)]; known {
			kind, found = k, true
		}
	}
	return kind, found
}

func read(object *ldap.Entry, kind principal.Kind) (Entry, error) {
	value := object.GetEqualFoldAttributeValue
	name := value("userPrincipalName")
	if kind == principal.Group || !strings.Contains(name, "@") {
		domain, err := domainOf(object.DN)
		if err != nil {
			return Entry{}, err
		}
		account := cmp.Or(value("sAMAccountName"), value("uid"), value("cn"))
		if kind == principal.Group {
			account = cmp.Or(value("cn"), value("sAMAccountName"))
		}
		name = account + "@" + domain
	}
	ref, err := principal.Parse(kind.String() + ":" + name)
	if err != nil {
		return Entry{}, err
	}
	sid, err := sidOf(object)
	if err != nil {
		return Entry{}, err
	}
	guid, err := guidOf(object)
	if err != nil {
		return Entry{}, err
	}
	title := cmp.Or(value("displayName"), value("cn"), name)
	return Entry{principal.Entry{Ref: ref, SID: sid, GUID: guid}, name, title, object.DN, nil}, nil
}

// membersOf are the members of a group (RFC 4519), those of a group of RFC 2307 by the uid of accounts that were read
// with it.
func membersOf(object *ldap.Entry, byUID map[string]string) []string {
	var members []string
	for _, attribute := range []string{"member", "uniqueMember"} {
		for _, dn := range object.GetEqualFoldAttributeValues(attribute) {
			if dn = NormalDN(dn); dn != "" {
				members = append(members, dn)
			}
		}
	}
	for _, uid := range object.GetEqualFoldAttributeValues("memberUid") {
		if dn := byUID[uid]; dn != "" {
			members = append(members, dn)
		}
	}
	return members
}

// domainOf is the DNS name that the dc parts of a distinguished name spell (RFC 2247).
func domainOf(dn string) (string, error) {
	parsed, err := ldap.ParseDN(dn)
	if err != nil {
		return "", fmt.Errorf("its distinguished name cannot be read: %w", err)
	}
	var labels []string
	for _, rdn := range parsed.RDNs {
		for _, part := range rdn.Attributes {
			if strings.EqualFold(part.Type, "dc") {
				labels = append(labels, part.Value)
			}
		}
	}
	if len(labels) == 0 {
		return "", fmt.Errorf("its distinguished name has no domain (dc=…), and it has no userPrincipalName")
	}
	return strings.Join(labels, "."), nil
}

// sidOf reads the security identifier, packed or as text.
func sidOf(object *ldap.Entry) (principal.SID, error) {
	for _, name := range []string{"objectSid", "sambaSID"} {
		values := object.GetEqualFoldRawAttributeValues(name)
		switch {
		case len(values) == 0:
		case strings.HasPrefix(strings.ToUpper(string(values[0])), "S-"):
			return principal.ParseSID(string(values[0]))
		default:
			return principal.SIDFromBytes(values[0])
		}
	}
	return principal.SID{}, fmt.Errorf(
		"it has no security identifier (objectSid or sambaSID), so no device could find it",
	)
}

// guidOf reads the identifier of the object, packed or as text; it may have none.
func guidOf(object *ldap.Entry) (principal.GUID, error) {
	if values := object.GetEqualFoldRawAttributeValues("objectGUID"); len(values) > 0 {
		if len(values[0]) == 16 {
			return principal.GUIDFromBytes(values[0])
		}
		return principal.ParseGUID(string(values[0]))
	}
	if text := object.GetEqualFoldAttributeValue("entryUUID"); text != "" {
		return principal.ParseGUID(text)
	}
	return principal.GUID{}, nil
}
