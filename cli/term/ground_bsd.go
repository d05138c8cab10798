//go:build unix && !linux

package term

// pending asks how much was typed and is not read yet: FIONREAD of the BSDs and macOS.
const pending = 0x4004667f
