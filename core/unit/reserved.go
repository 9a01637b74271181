package unit

import (
	"fmt"
	"strings"

	"rankwarden.example/core/text"
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

// Reserved says why no managed account can have a name, as the end of a sentence that begins with the name; empty where
// one can. A pattern with drawn digits is none of these names.
func Reserved(name string) string {
	name = text.Fold(name)
	if builtin, is := builtinNames[name]; is {
		return fmt.Sprintf("is the built-in %[1]s on some devices, which builtins.%[1]s is for", builtin)
	}
	if systemNames[name] {
		return "belongs to the operating system"
	}
	_, ours := KnownLocalGroups[name]
	_, theirs := KnownBy(name)
	if ours || theirs {
		return "is a local group on devices, and no account can have the name of one"
	}
	return ""
}
