"""A virtual machine for the tests of the medium: QEMU with firmware, a medium, drives, a screen, keys and a serial line."""
import json
import os
import shutil
import socket
import subprocess
import tempfile
import threading
import time

OVMF = "/usr/share/OVMF"
# Names of keys that are not letters or digits, as QEMU has them.
KEYS = {
    " ": "spc", "\n": "ret", "-": "minus", ".": "dot", "/": "slash", ",": "comma", "=": "equal", ":": "shift-semicolon",
    "_": "shift-minus", "'": "apostrophe", ";": "semicolon", "\x1b": "esc", "\t": "tab",
}


class VM:
    """Use as `with VM(...) as vm`. `drives` are lines for -drive/-device; see `drive`."""

    def __init__(self, medium=None, how="stick", firmware="bios", drives=(), memory=1536, folder=None, extra=(), sound=None):
        self.folder = folder or tempfile.mkdtemp(prefix="jurex-vm-")
        self.args = ["qemu-system-x86_64", "-accel", "tcg,thread=multi", "-smp", "2", "-m", str(memory), "-display", "none"]
        self.args += ["-vga", "std", "-no-reboot", "-rtc", "base=utc"]
        secure = firmware == "secure"
        machine = "q35,smm=on" if secure else "q35"
        if sound:  # what the machine's own speaker plays
            self.args += ["-audiodev", f"wav,id=sound,path={sound}"]
            machine += ",pcspk-audiodev=sound"
        self.args += ["-M", machine]
        if firmware != "bios":
            code = f"{OVMF}/OVMF_CODE_4M.secboot.fd" if secure else f"{OVMF}/OVMF_CODE_4M.fd"
            variables = os.path.join(self.folder, "variables.fd")
            if not os.path.exists(variables):
                shutil.copy(f"{OVMF}/OVMF_VARS_4M.ms.fd" if secure else f"{OVMF}/OVMF_VARS_4M.fd", variables)
            if secure:
                self.args += ["-global", "driver=cfi.pflash01,property=secure,value=on"]
            self.args += ["-drive", f"if=pflash,format=raw,unit=0,file={code},readonly=on"]
            self.args += ["-drive", f"if=pflash,format=raw,unit=1,file={variables}"]
        self.args += ["-device", "qemu-xhci,id=xhci,p2=8,p3=8"]
        self.qmp_path = os.path.join(self.folder, "qmp")
        self.serial_path = os.path.join(self.folder, "serial")
        self.args += ["-qmp", f"unix:{self.qmp_path},server=on,wait=off"]
        self.args += ["-chardev", f"socket,id=line,path={self.serial_path},server=on,wait=off", "-serial", "chardev:line"]
        if medium and how == "stick":
            self.args += ["-drive", f"if=none,id=medium,format=raw,file={medium}"]
            self.args += ["-device", "usb-storage,drive=medium,bus=xhci.0,bootindex=0,serial=MEDIUM01,removable=on"]
        elif medium and how == "disc":
            self.args += ["-drive", f"if=none,id=medium,format=raw,media=cdrom,readonly=on,file={medium}"]
            self.args += ["-device", "ide-cd,drive=medium,bootindex=0,bus=ide.5"]
        ports = 0
        for words in drives:
            words = list(words)
            for at, word in enumerate(words):
                if word.startswith("ide-hd") and "bus=" not in word:
                    words[at], ports = f"{word},bus=ide.{ports}", ports + 1
            self.args += words
        self.args += list(extra)

    def __enter__(self):
        self.log = b""
        self.started = time.time()
        self.process = subprocess.Popen(self.args, stdin=subprocess.DEVNULL, stderr=open(os.path.join(self.folder, "qemu.log"), "wb"))
        self.qmp_socket = self._connect(self.qmp_path)
        self.answers = self.qmp_socket.makefile("r")
        self.answers.readline()
        self.qmp("qmp_capabilities")
        self.serial = self._connect(self.serial_path)
        threading.Thread(target=self._listen, daemon=True).start()
        return self

    def __exit__(self, *_):
        self.cut()

    def _connect(self, path):
        for _ in range(200):
            if self.process.poll() is not None:
                raise RuntimeError("QEMU ended: " + open(os.path.join(self.folder, "qemu.log")).read())
            try:
                line = socket.socket(socket.AF_UNIX)
                line.connect(path)
                return line
            except OSError:
                time.sleep(0.05)
        raise RuntimeError(f"nothing at {path}")

    def _listen(self):
        while True:
            try:
                heard = self.serial.recv(65536)
            except OSError:
                return
            if not heard:
                return
            self.log += heard

    def qmp(self, command, **arguments):
        self.qmp_socket.sendall(json.dumps({"execute": command, "arguments": arguments}).encode() + b"\n")
        while True:
            answer = json.loads(self.answers.readline())
            if "return" in answer:
                return answer["return"]
            if "error" in answer:
                raise RuntimeError(f"{command}: {answer['error']}")

    def picture(self, file):
        self.qmp("screendump", filename=os.path.abspath(file), format="png")

    def key(self, name):
        self.qmp("send-key", keys=[{"type": "qcode", "data": key} for key in name.split("-")] if name != "minus" else [{"type": "qcode", "data": "minus"}])
        time.sleep(0.08)

    def type(self, text):
        for sign in text:
            if sign.isupper():
                self.key("shift-" + sign.lower())
            else:
                self.key(KEYS.get(sign, sign))

    def say(self, text):
        """Types on the serial line."""
        self.serial.sendall(text.encode())

    def wait_for(self, text, seconds, since=0):
        """Waits until the serial line has said `text`; gives the place after it."""
        until = time.time() + seconds
        while time.time() < until:
            at = self.log.find(text.encode(), since)
            if at >= 0:
                return at + len(text.encode())
            if self.process.poll() is not None:
                raise RuntimeError(f"the machine ended before it said {text!r}; the last it said: {self.log[-800:]!r}")
            time.sleep(0.1)
        raise RuntimeError(f"{text!r} was not said in {seconds} s; the last that was: {self.log[-800:]!r}")

    def wait_end(self, seconds):
        """Waits until the machine has switched itself off."""
        self.process.wait(timeout=seconds)

    def command(self, text, seconds=120):
        """Runs a command in the maintenance shell on the serial line; gives (exit code, output)."""
        mark = f"end{time.time_ns()}"
        since = len(self.log)
        self.say(f"{text}; echo {mark[:3]}''{mark[3:]}=$?\n")
        at = self.wait_for(f"{mark}=", seconds, since)
        time.sleep(0.2)
        code = int(self.log[at:].split()[0])
        said = self.log[since:at].decode(errors="replace").replace("\r", "")
        # The shell does not echo (see into_shell): what is left is the output, and the line of the mark.
        return code, said.rpartition(f"{mark}=")[0]

    def cut(self):
        """Takes the power away."""
        if self.process.poll() is None:
            self.process.kill()
        self.process.wait()


def drive(kind, file, serial, sector=512):
    """The words that attach an image as a drive of that kind, of sectors of so many bytes."""
    block = f",logical_block_size={sector},physical_block_size={sector}"
    words = ["-drive", f"if=none,id={serial},format=raw,file={file}"]
    device = {
        "sata": f"ide-hd,drive={serial},serial={serial}",
        "nvme": f"nvme,drive={serial},serial={serial}{block}",
        "usb": f"usb-storage,drive={serial},serial={serial},bus=xhci.0,removable=off",
        # A stick's own sectors have 512 bytes; in a dock that speaks as sticks do a drive has its own.
        "dock": f"usb-bot,id=dock-{serial},bus=xhci.0",
        "uas": f"usb-uas,id=uas-{serial},bus=xhci.0",
        "sd": f"sdhci-pci,id=sdhci-{serial}",
        "scsi": f"virtio-scsi-pci,id=hba-{serial}",
        "virtio": f"virtio-blk-pci,drive={serial},serial={serial}{block}",
    }[kind]
    words += ["-device", device]
    if kind in ("dock", "uas"):
        words += ["-device", f"scsi-hd,drive={serial},serial={serial},bus={kind}-{serial}.0{block}"]
    if kind == "sd":
        words += ["-device", f"sd-card,drive={serial}"]
    if kind == "scsi":
        words += ["-device", f"scsi-hd,drive={serial},serial={serial},bus=hba-{serial}.0{block}"]
    return words
