package win32

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"unsafe"

	"golang.org/x/sys/windows"
)

// DefaultDir is where the agent keeps its state unless it is told another place: C:\ProgramData\Rank Warden\Agent.
func DefaultDir() (string, error) {
	data, err := windows.KnownFolderPath(windows.FOLDERID_ProgramData, 0)
	return filepath.Join(data, "Rank Warden", "Agent"), err
}

// onlySystem lets the system and administrators in, and nobody else, whatever the directory above says.
const onlySystem = "O:BAG:BAD:PAI(A;OICI;FA;;;SY)(A;OICI;FA;;;BA)"

// Private makes a directory that only the system and administrators can read. Anybody may make directories where
// programs keep their data: one that is there already is refused when somebody else made it, or when it leads
// elsewhere.
func Private(dir string) error {
	descriptor, err := windows.SecurityDescriptorFromString(onlySystem)
	if err != nil {
		return fmt.Errorf("state directory: %w", err)
	}
	path, err := wide(dir)
	if err != nil {
		return fmt.Errorf("state directory: %w", err)
	}
	attributes := windows.SecurityAttributes{SecurityDescriptor: descriptor}
	attributes.Length = uint32(unsafe.Sizeof(attributes))
	err = windows.CreateDirectory(path, &attributes)
	if errors.Is(err, windows.ERROR_PATH_NOT_FOUND) {
		if err := Private(filepath.Dir(dir)); err != nil {
			return err
		}
		err = windows.CreateDirectory(path, &attributes)
	}
	if errors.Is(err, windows.ERROR_ALREADY_EXISTS) {
		err = trusted(dir)
	}
	if err != nil {
		return fmt.Errorf("state directory %s: %w", dir, code(err))
	}
	return nil
}

// errNotOurs is given for a directory that somebody else made.
var errNotOurs = errors.New(
	"somebody else than the system or an administrator made it; delete it, or choose another one with --state",
)

func trusted(dir string) error {
	info, err := os.Lstat(dir)
	if err != nil {
		return err
	}
	if info.Mode().Type() != os.ModeDir {
		return errors.New("it is no directory of its own; delete it, or choose another one with --state")
	}
	found, err := windows.GetNamedSecurityInfo(dir, windows.SE_FILE_OBJECT, windows.OWNER_SECURITY_INFORMATION)
	if err != nil {
		return err
	}
	owner, _, err := found.Owner()
	if err != nil {
		return err
	}
	if !owner.IsWellKnown(windows.WinLocalSystemSid) && !owner.IsWellKnown(windows.WinBuiltinAdministratorsSid) {
		return errNotOurs
	}
	wanted, err := windows.SecurityDescriptorFromString(onlySystem)
	if err != nil {
		return err
	}
	access, _, err := wanted.DACL()
	if err != nil {
		return err
	}
	return windows.SetNamedSecurityInfo(dir, windows.SE_FILE_OBJECT,
		windows.DACL_SECURITY_INFORMATION|windows.PROTECTED_DACL_SECURITY_INFORMATION, nil, nil, access, nil)
}
