package term

import "golang.org/x/sys/unix"

// pending asks how much was typed and is not read yet.
const pending = unix.TIOCINQ
