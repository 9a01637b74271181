package unit

import (
	"maps"
	"slices"
	"strconv"
	"strings"

	"rankwarden.example/core/text"
)

// privileged are the local groups whose members can take a device over: on Windows those that every device knows by an
// identifier, on Linux those that open a way to root, by their usual names.
var privileged = map[string]bool{
	GroupAdministrators: true, "backup-operators": true, "device-owners": true, "hyper-v-administrators": true,
	"network-configuration-operators": true, "power-users": true,

	"wheel": true, "admin": true, "adm": true, "docker": true, "lxd": true, "libvirt": true, "disk": true,
	"shadow": true,
	"root":   true, "kvm": true,
}

// IsPrivileged reports whether members of a local group can take a device over. Letters compare without case.
func IsPrivileged(localGroup string) bool { return privileged[text.Fold(localGroup)] }

// Privileged are the settings of the local groups whose members can take a device over, in order.
func Privileged() []ID {
	var ids []ID
	for _, name := range slices.Sorted(maps.Keys(privileged)) {
		ids = append(ids, MembershipOf(name))
	}
	return ids
}

// IsPrivileged reports whether a setting says who is in a local group whose members can take a device over.
func (u ID) IsPrivileged() bool {
	name, is := u.LocalGroup()
	return is && IsPrivileged(name)
}

// Guards reports whether a setting guards the ways into a device: who is in a privileged local group, whether a
// built-in account is enabled, when accounts lock. It is corrected at every look, however often somebody changes it
// back.
func (u ID) Guards() bool {
	if _, property, is := u.Builtin(); is {
		return property == BuiltinEnabled
	}
	return u.family == Locking || u.IsPrivileged()
}

// otherNames are what operating systems call known local groups: Windows in its languages ([MS-DTYP] 2.4.2.4 has the
// identifiers, each language its names), and Linux.
var otherNames = map[string][]string{
	GroupAdministrators: {
		"Administratoren", "Administrateurs", "Administradores", "Amministratori", "Administratörer", "Administratorer",
		"Administratorzy", "Järjestelmänvalvojat", "Rendszergazdák", "Администраторы", "Адміністратори",
		"Διαχειριστές", "Yöneticiler", "Beheerders", "Správci", "Administrators", "管理者", "管理员", "系統管理員", "관리자",
		"sudo",
	},
	"users": {"Benutzer", "Utilisateurs", "Usuarios", "Usuários", "Utilizadores", "Utenti", "Användare", "Brugere",
		"Brukere", "Gebruikers", "Użytkownicy", "Käyttäjät", "Felhasználók", "Пользователи", "Uživatelé",
		"Kullanıcılar"},
	"guests": {"Gäste", "Invités", "Invitados", "Convidados", "Ospiti", "Gäster", "Gæster", "Gjester", "Gasten",
		"Goście",
		"Vieraat", "Vendégek", "Гости", "Konuklar"},
	"power-users": {"Power Users", "Hauptbenutzer", "Utilisateurs avec pouvoir", "Usuarios avanzados", "Power users"},
	"backup-operators": {"Backup Operators", "Sicherungs-Operatoren", "Opérateurs de sauvegarde",
		"Operadores de copia de seguridad", "Operatori di backup", "Ansvariga för säkerhetskopiering"},
	"remote-desktop-users": {"Remote Desktop Users", "Remotedesktopbenutzer", "Utilisateurs du Bureau à distance",
		"Usuarios de escritorio remoto", "Utenti desktop remoto", "Användare av fjärrskrivbord"},
	"network-configuration-operators": {"Network Configuration Operators", "Netzwerkkonfigurations-Operatoren",
		"Opérateurs de configuration réseau"},
	"performance-log-users": {"Performance Log Users", "Leistungsprotokollbenutzer"},
	"event-log-readers":     {"Event Log Readers", "Ereignisprotokollleser"},
	"hyper-v-administrators": {"Hyper-V Administrators", "Hyper-V-Administratoren", "Administrateurs Hyper-V",
		"Administradores de Hyper-V"},
	"remote-management-users": {"Remote Management Users", "Remoteverwaltungsbenutzer"},
	"device-owners":           {"Device Owners", "Gerätebesitzer"},
}

var knownByOtherName = func() map[string]string {
	known := map[string]string{}
	for word, names := range otherNames {
		for _, name := range names {
			known[text.Fold(name)] = word
		}
	}
	return known
}()

// KnownBy gives the known local group that a name means which is not its own: what an operating system calls it in some
// language, or its identifier, such as S-1-5-32-544.
func KnownBy(name string) (localGroup string, known bool) {
	if last, is := strings.CutPrefix(strings.ToUpper(name), "S-1-5-32-"); is {
		number, err := strconv.ParseUint(last, 10, 32)
		for word, rid := range KnownLocalGroups {
			if err == nil && uint64(rid) == number {
				return word, true
			}
		}
	}
	localGroup, known = knownByOtherName[text.Fold(name)]
	return localGroup, known
}
