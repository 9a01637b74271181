package unit

import (
	"strings"

	"rankwarden.example/core/text"
)

// Why a managed account cannot have a name. They continue a sentence that begins with the name.
const (
	ReservedBuiltin = "is the built-in %s on some devices, which builtins.%s is for"
	ReservedSystem  = "belongs to the operating system"
	ReservedGroup   = "is a local group on devices, and no account can have the name of one"
)

// builtinNames are what Windows calls its two built-in accounts in its languages, and Linux its administrator.
var builtinNames = map[string]string{
	"administrator": "administrator", "administrateur": "administrator", "administrador": "administrator",
	"amministratore": "administrator", "administratör": "administrator", "järjestelmänvalvoja": "administrator",
	"rendszergazda": "administrator", "администратор": "administrator", "адміністратор": "administrator",
	"yönetici": "administrator", "beheerder": "administrator", "root": "administrator",
	"guest": "guest", "gast": "guest", "invité": "guest", "invitado": "guest", "convidado": "guest", "ospite": "guest",
	"gäst": "guest", "gæst": "guest", "gjest": "guest", "gość": "guest", "vieras": "guest", "vendég": "guest",
	"гость": "guest", "konuk": "guest",
}

// systemNames are accounts of the operating systems themselves, and names of devices that Windows gives no account.
var systemNames = func() map[string]bool {
	names := map[string]bool{}
	for name := range strings.FieldsSeq("system local-service network-service none con prn aux nul daemon bin sys " +
		"sync games man lp mail news uucp proxy www-data backup list irc nobody sshd systemd-network systemd-resolve " +
		"messagebus defaultaccount wdagutilityaccount") {
		names[name] = true
	}
	names["local service"], names["network service"] = true, true
	for _, device := range []string{"com", "lpt"} {
		for _, number := range "123456789" {
			names[device+string(number)] = true
		}
	}
	return names
}()

// Reserved says why no managed account can have a name, empty where one can. A pattern with drawn digits is none of
// these names.
func Reserved(name string) string {
	name = text.Fold(name)
	if builtin, is := builtinNames[name]; is {
		return strings.ReplaceAll(ReservedBuiltin, "%s", builtin)
	}
	if systemNames[name] {
		return ReservedSystem
	}
	if _, is := KnownLocalGroups[name]; is {
		return ReservedGroup
	}
	if _, is := KnownBy(name); is {
		return ReservedGroup
	}
	return ""
}
