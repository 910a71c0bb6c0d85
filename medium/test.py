#!/usr/bin/env python3
"""Starts the medium in virtual machines and looks at what is on their drives afterwards: test.py IMAGE [NAME …]

Every test makes its own drives of image files. A drive that is to be erased is full of marks before; afterwards the host compares its
image byte for byte. No drive of this machine is ever given to a virtual one.
"""
import glob
import hashlib
import json
import os
import re
import shutil
import struct
import subprocess
import sys
import tempfile
import time
import traceback
import uuid
import zlib

from vm import VM, drive

HERE = os.path.dirname(os.path.abspath(__file__))
JUREX = os.environ.get("JUREX") or next(
    (p for p in (f"{HERE}/../target/{d}/jurex" for d in ("medium/release", "release", "debug")) if os.path.exists(p)), "jurex"
)
MIB = 1 << 20
SHELL = 5  # the maintenance entry's place in the menu


def run(*words, **more):
    done = subprocess.run(words, capture_output=True, text=True, **more)
    if done.returncode != 0:
        raise RuntimeError(f"{' '.join(words)} ended with {done.returncode}: {done.stderr.strip()} {done.stdout.strip()[-400:]}")
    return done.stdout


def marked(file, mebibytes, mark):
    """An image in which every sector says whose it is."""
    line = f"{mark} of the Skerry Point tide gauge ".encode()
    with open(file, "wb") as image:
        for sector in range(mebibytes * MIB // 512):
            image.write((line + str(sector).encode() + b" ").ljust(512, b"."))
    return file


def with_table(file, sector, ranges):
    """Writes a partition table (GPT) of sectors of so many bytes over the ends of an image: {name: (first sector, sectors)}.

    By hand: this Debian's sfdisk and sgdisk take the sectors of every image for 512 bytes long."""
    size = os.path.getsize(file) // sector
    entries = b""
    for number, (name, (first, count)) in enumerate(ranges.items(), 1):
        kind = uuid.UUID("0fc63daf-8483-4772-8e79-3d69d8477de4").bytes_le
        entries += kind + uuid.UUID(int=number).bytes_le + struct.pack("<QQQ", first, first + count - 1, 0) + name.encode("utf-16-le").ljust(72, b"\0")
    entries = entries.ljust(128 * 128, b"\0")
    own = len(entries) // sector  # sectors of the list

    def header(here, other, listed):
        def made(check):
            disk = uuid.UUID(int=99).bytes_le
            fixed = struct.pack("<8sIIIIQQQQ", b"EFI PART", 0x10000, 92, check, 0, here, other, 2 + own, size - own - 2)
            return fixed + disk + struct.pack("<QIII", listed, 128, 128, zlib.crc32(entries))
        return made(zlib.crc32(made(0))).ljust(sector, b"\0")

    protective = bytes(446) + struct.pack("<BBHBBHII", 0, 0, 2, 0xEE, 0xFF, 0xFFFF, 1, size - 1) + bytes(48) + b"\x55\xaa"
    with open(file, "r+b") as image:
        image.write(protective.ljust(sector, b"\0") + header(1, size - 1, 2) + entries)
        image.seek((size - own - 1) * sector)
        image.write(entries + header(size - 1, 1, size - own - 1))


def digest(file):
    with open(file, "rb") as image:
        return hashlib.file_digest(image, "sha256").hexdigest()


def holds_only(file, byte):
    with open(file, "rb") as image:
        while block := image.read(MIB):
            if block != bytes([byte]) * len(block):
                return False
    return True


def check(condition, said):
    if not condition:
        raise AssertionError(said)


def parts(image):
    """{name: (first byte, bytes)} of the partitions of an image."""
    table = json.loads(run("sfdisk", "-J", image))["partitiontable"]
    return {p.get("name", ""): (p["start"] * 512, p["size"] * 512) for p in table["partitions"]}


class Stick:
    """A copy of the image as a stick, whose data partition can be looked into while no machine runs."""

    def __init__(self, image, folder, name="stick.img"):
        self.file = os.path.join(folder, name)
        run("cp", "--sparse=always", image, self.file)
        self.data = os.path.join(folder, name + ".data")

    def _take_out(self):
        first, size = parts(self.file)["JUREXDATA"]
        run("dd", f"if={self.file}", f"of={self.data}", "bs=1M", "iflag=skip_bytes,count_bytes", f"skip={first}", f"count={size}", "conv=sparse")

    def _put_back(self):
        first, _ = parts(self.file)["JUREXDATA"]
        run("dd", f"if={self.data}", f"of={self.file}", "bs=1M", "oflag=seek_bytes", f"seek={first}", "conv=notrunc")

    def put(self, name, text):
        """Puts a file into the folder jurex of the data partition."""
        self._take_out()
        with tempfile.NamedTemporaryFile("w", suffix=".put") as file:
            file.write(text)
            file.flush()
            debugfs(self.data, "mkdir jurex", f"write {file.name} jurex/{name}")
        self._put_back()

    def sound(self):
        """Whether the data partition's own checker has nothing to mend once its journal is replayed; gives what it said."""
        self._take_out()
        subprocess.run(["e2fsck", "-E", "journal_only", "-y", self.data], capture_output=True)
        done = subprocess.run(["e2fsck", "-f", "-n", self.data], capture_output=True, text=True)
        check(done.returncode == 0, f"the data partition is not sound after the cut: {done.stdout[-600:]}")

    def get(self, to):
        """Copies everything off the data partition."""
        self._take_out()
        subprocess.run(["e2fsck", "-E", "journal_only", "-y", self.data], capture_output=True)
        os.makedirs(to, exist_ok=True)
        debugfs(self.data, f"rdump jurex {to}")
        return os.path.join(to, "jurex")


def debugfs(image, *commands):
    run("debugfs", "-w", "-f", "-", image, input="".join(c + "\n" for c in commands))


def believed(folder, expected):
    """The host's own Jurex believes so many certificates that the medium has written; gives their records."""
    papers = sorted(glob.glob(f"{folder}/certificates/*.certificate.pdf"))
    check(len(papers) == expected, f"{len(papers)} certificates and not {expected}: {os.listdir(folder)}")
    for paper in papers:
        run(JUREX, "check", paper, env={**os.environ, "JUREX_HOME": os.path.join(folder, "..", "home")})
    records = []
    for file in sorted(glob.glob(f"{folder}/certificates/*.record.json")):
        with open(file, encoding="utf-8") as opened:
            records.append(json.load(opened))
    return records


def into_shell(vm):
    """Chooses the maintenance entry by the serial line, and waits for its shell."""
    vm.wait_for("executed automatically", 90)
    vm.say("\x0e" * SHELL)
    time.sleep(0.5)
    vm.say("\r")
    at = vm.wait_for("jurex:/#", 240)
    vm.command("stty -echo; cd /", 20)
    return at


def drives(vm):
    """What `jurex drives` finds in the machine."""
    _, told = vm.command("jurex drives --json")
    return json.loads(told[told.index("["):])


def path_of(vm, serial):
    return next(d["path"] for d in drives(vm) if d["serial"] == serial)


def label_of(one):
    """What is typed at the label check."""
    return (one["serial"] or "")[-6:] or one["sectors"]


# --- the tests ------------------------------------------------------------------------------------------------------------------


def unattended(image, folder):
    """BIOS, stick: a list of two of three drives; both are erased, the third is untouched, and the machine switches itself off."""
    stick = Stick(image, folder)
    stick.put("config.toml", 'after_list = "power-off"\n[technician]\nname = "Ines Okafor-Lindqvist"\n')
    listed = "serial,plan,approved by\nFM0500T3XW8D,--method zeros,Tomasz Averill\nQA480R61YV5C,--passes 'a5',Tomasz Averill\n"
    stick.put("unattended.csv", listed)
    disks = {s: marked(os.path.join(folder, s), 24, s) for s in ("FM0500T3XW8D", "QA480R61YV5C", "QS1000E47J9P")}
    before = digest(disks["QS1000E47J9P"])
    attached = [drive("sata", disks["FM0500T3XW8D"], "FM0500T3XW8D"), drive("nvme", disks["QA480R61YV5C"], "QA480R61YV5C")]
    attached.append(drive("usb", disks["QS1000E47J9P"], "QS1000E47J9P"))
    sound = os.path.join(folder, "sound.wav")
    with VM(stick.file, drives=attached, folder=folder, sound=sound) as vm:
        vm.wait_for("press Enter", 240)
        vm.wait_end(400)
    with open(sound, "rb") as file:
        check(len(set(file.read()[44:])) > 1, "the end of the list was not told by a sound")
    check(holds_only(disks["FM0500T3XW8D"], 0), "the SATA drive is not all zeros")
    check(holds_only(disks["QA480R61YV5C"], 0xA5), "the NVMe drive is not all a5")
    check(digest(disks["QS1000E47J9P"]) == before, "the drive that is not on the list was touched")
    stick.sound()
    records = believed(stick.get(os.path.join(folder, "got")), 2)
    for record in records:
        by = record["evidence"]["sessions"][0]["by_list"]
        check(by["approved_by"] == "Tomasz Averill" and by["sha256"] == hashlib.sha256(listed.encode()).hexdigest(), f"{by}")


def by_hand(image, folder, firmware, how):
    """Every kind of drive, erased by commands in the maintenance shell; the medium itself is guarded."""
    stick = Stick(image, folder)
    kinds = ["sata", "nvme", "usb", "uas", "sd", "scsi", "virtio"]
    disks = {kind: marked(os.path.join(folder, kind), 16, kind) for kind in kinds}
    attached = [drive(kind, file, f"TQ{kind.upper()}01") for kind, file in disks.items()]
    if how == "disc":  # records go to a second stick
        second = Stick(image, folder, "second.img")
        attached.append(["-drive", f"if=none,id=second,format=raw,file={second.file}", "-device", "usb-storage,drive=second,bus=xhci.0,serial=SECOND01,removable=on"])
    else:
        second = stick
    with VM(stick.file, how=how, firmware=firmware, drives=attached, folder=folder) as vm:
        into_shell(vm)
        if firmware == "secure":
            _, said = vm.command("od -An -tu1 /sys/firmware/efi/efivars/SecureBoot-*")
            check(said.split()[-1] == "1", f"Secure Boot is not on: {said}")
            _, said = vm.command("cat /sys/kernel/security/lockdown 2>/dev/null || { mount -t securityfs s /sys/kernel/security; cat /sys/kernel/security/lockdown; }")
            check("[integrity]" in said, f"no lockdown: {said}")
        found = drives(vm)
        mediums = [d for d in found if not d["verdict"]["may_be_erased"]]
        sentences = json.dumps([d["verdict"] for d in mediums])
        check("start medium" in sentences, f"the medium is not guarded: {sentences}")
        free = {d["serial"] or d["path"]: d for d in found if d["verdict"]["may_be_erased"]}
        check(len(free) == len(kinds), f"{len(free)} drives may be erased: {list(free)}; {sentences}")
        for serial, one in free.items():
            label = label_of(one)
            code, said = vm.command(f"jurex erase {one['path']} --passes '5a' --label-check '{label}' --out /data/jurex/certificates --quiet", 300)
            check(code == 0 or (code == 3 and one["class"] == "removable-flash"), f"{serial}: {code} {said[-800:]}")
        code, said = vm.command(f"jurex erase {mediums[0]['path']} --passes 00 --label-check {(mediums[0]['serial'] or 'x')[-6:]} --out /tmp/x", 60)
        check(code == 2 and "start medium" in said, f"the medium was not refused: {code} {said}")
        vm.command("sync; umount /data", 30)
        vm.cut()
    for kind, file in disks.items():
        check(holds_only(file, 0x5A), f"the {kind} drive is not all 5a")
    folder_of = second.get(os.path.join(folder, "got"))
    records = glob.glob(f"{folder_of}/certificates/*.record.json")
    check(len(records) == len(kinds), f"{len(records)} records")


def bios_disc(image, folder):
    by_hand(image, folder, "bios", "disc")


def uefi_stick(image, folder):
    by_hand(image, folder, "uefi", "stick")


def uefi_disc(image, folder):
    by_hand(image, folder, "uefi", "disc")


def secure_stick(image, folder):
    by_hand(image, folder, "secure", "stick")


def secure_disc(image, folder):
    by_hand(image, folder, "secure", "disc")


def partitions(image, folder):
    """One partition is erased on every bus, on sectors of 512 and of 4096 bytes: table and neighbours stay; then the drive is prepared anew."""
    kinds = [(k, 512) for k in ("sata", "nvme", "usb", "uas", "sd", "scsi", "virtio")]
    kinds += [(k, 4096) for k in ("nvme", "dock", "uas", "scsi", "virtio")]
    stick = Stick(image, folder)
    before, attached, middle = {}, [], (4 * MIB, 8 * MIB)
    for kind, sector in kinds:
        serial = f"TQ{kind.upper()}{sector}"
        file = marked(os.path.join(folder, serial), 64, serial)
        first, count = (at // sector for at in middle)
        with_table(file, sector, {"tides": (MIB // sector, MIB // sector), "logs": (first, count), "gauge": (first + count, MIB // sector)})
        with open(file, "rb") as opened:
            before[serial] = opened.read()
        attached.append(drive(kind, file, serial, sector))
    with VM(stick.file, drives=attached, folder=folder) as vm:
        into_shell(vm)
        free = [d for d in drives(vm) if d["verdict"]["may_be_erased"]]
        check(len(free) == len(kinds), f"{len(free)} drives may be erased, of {len(kinds)}")
        for one in free:
            label = label_of(one)
            code, said = vm.command(f"jurex erase {one['path']} --partition 4 --passes 5a --label-check '{label}' --out /tmp/x --quiet", 60)
            check(code == 1 and "Nothing was written" in said, f"{one['path']}, a partition that is not there: {code} {said}")
            code, said = vm.command(f"jurex erase {one['path']} --partition 2 --passes 5a --label-check '{label}' --out /tmp/x --quiet", 300)
            check(code in (0, 3), f"{label}: {code} {said[-800:]}")
        vm.command("sync", 30)
        for serial, old in before.items():
            beside_is_untouched(os.path.join(folder, serial), old, middle)
        for one in free:
            label = label_of(one)
            code, said = vm.command(f"jurex erase {one['path']} --passes 00 --label-check '{label}' --out /tmp/x --quiet", 300)
            check(code in (0, 3), f"{label}: {code} {said[-800:]}")
            code, said = vm.command(f"jurex release {one['path']} --as prepared --volume exfat:TIDES --label-check '{label}' --by 'Ines Okafor-Lindqvist'", 300)
            check(code == 0, f"{label}, prepared: {code} {said[-800:]}")
        vm.command("sync", 30)
        vm.cut()
    for kind, sector in kinds:
        has_volume(os.path.join(folder, f"TQ{kind.upper()}{sector}"), sector)


def beside_is_untouched(file, old, middle):
    """The middle of an image is all 5a, and what lies before and after it is what was there."""
    start, end = middle[0], sum(middle)
    with open(file, "rb") as opened:
        new = opened.read()
    check(new[start:end] == b"\x5a" * (end - start), f"{file}: the partition is not all 5a")
    check(new[:start] == old[:start] and new[end:] == old[end:], f"{file}: something beside the partition was written to")


def has_volume(file, sector):
    """The image has a table of such sectors, and in its first partition an exFAT that its own checker finds sound."""
    with open(file, "rb") as image:
        image.seek(sector)
        check(image.read(8) == b"EFI PART", f"{file}: no table in the second sector")
        image.seek(2 * sector + 32)
        first, last = struct.unpack("<QQ", image.read(16))
        image.seek(first * sector)
        volume = image.read((last - first + 1) * sector)
    with tempfile.NamedTemporaryFile() as taken:
        taken.write(volume)
        taken.flush()
        run("fsck.exfat", "-n", taken.name)


def power_cut(image, folder):
    """The power goes in the middle of a listed job: the data partition is sound, and the next start goes on with the same job."""
    stick = Stick(image, folder)
    stick.put("config.toml", 'after_list = "power-off"\n')
    stick.put("unattended.csv", "serial,plan,approved by\nFM0500T3XW8D,--method zeros,Tomasz Averill\n")
    disk = marked(os.path.join(folder, "disk"), 96, "FM0500T3XW8D")
    slow = ["-drive", f"if=none,id=slow,format=raw,file={disk},throttling.bps-total=2500000", "-device", "ide-hd,drive=slow,serial=FM0500T3XW8D"]
    with VM(stick.file, drives=[slow], folder=folder) as vm:
        vm.wait_for("press Enter", 240)
        until = time.time() + 180
        while time.time() < until and not ends_zero(disk, 24 * MIB):
            time.sleep(0.5)
        vm.cut()
    # Several requests are in flight at once, so that the border is not sharp.
    check(ends_zero(disk, 8 * MIB) and not ends_zero(disk, 90 * MIB), "the job was not cut in the middle")
    stick.sound()
    with VM(stick.file, drives=[drive("sata", disk, "FM0500T3XW8D")], folder=folder) as vm:
        vm.wait_for("press Enter", 240)
        vm.wait_end(400)
    check(holds_only(disk, 0), "the drive is not all zeros")
    got = stick.get(os.path.join(folder, "got"))
    records = believed(got, 1)
    sessions = records[0]["evidence"]["sessions"]
    check(len(sessions) == 2 and "closed" not in sessions[0], f"the job did not go on: {len(sessions)} sessions")
    check(all(s["by_list"]["line"] == 2 for s in sessions), "a session lacks its list")


def ends_zero(file, count):
    """Whether the last of the first `count` bytes are zeros."""
    with open(file, "rb") as image:
        image.seek(count - 4096)
        return image.read(4096) == bytes(4096)


def written(image, folder):
    """A stick that `jurex start-medium` has written, by UEFI, beside another one of the same image: each is told from the other."""
    if os.geteuid() != 0:
        print("    NOT RUN: making the data partition needs root")
        return
    stick = os.path.join(folder, "written.img")
    home = {**os.environ, "JUREX_HOME": os.path.join(folder, "home")}
    run("truncate", "-s", "400M", stick)
    words = [JUREX, "start-medium", image, stick, "--quiet", "--label-check"]
    refused = subprocess.run([*words, "819201"], capture_output=True, text=True, env=home)
    check(refused.returncode == 2 and "Nothing was written" in refused.stderr, refused.stderr)
    check(open(stick, "rb").read(MIB) == bytes(MIB), "a wrong label has written something")
    run(*words, str(400 * MIB // 512), env=home)
    run("sgdisk", "-v", stick)
    other = Stick(image, folder, "other.img")
    attached = [["-drive", f"if=none,id=other,format=raw,file={other.file}", "-device", "usb-storage,drive=other,bus=xhci.0,serial=OTHER001,removable=on"]]
    with VM(stick, firmware="uefi", drives=attached, folder=folder) as vm:
        into_shell(vm)
        _, facts = vm.command("cat /run/jurex-medium.toml; df -m /data | tail -n 1")
        device = re.search(r'medium = "(\S+)"', facts).group(1)
        _, serial = vm.command(f"jurex look {device} --json")
        check("MEDIUM01" in serial, f"the other stick was taken for the medium: {facts}")
        check(f'data = "{device}3"' in facts and "There is another data partition" in facts, facts)
        size = int(re.search(r"/data\D*$|\s(\d+)\s+\d+\s+\d+\s+\d+%\s+/data", facts).group(1))
        check(size > 200, f"the data partition has only {size} MiB")
        vm.command("sync; umount /data", 30)


def in_memory(image, folder):
    """A disc without a data partition: said so; records are carried to a second stick, and arrive whole."""
    carry = os.path.join(folder, "carry.img")
    run("truncate", "-s", "64M", carry)
    run("mkfs.vfat", "-F", "32", "-n", "CARRY", carry)
    disk = marked(os.path.join(folder, "disk"), 8, "FM0500T3XW8D")
    attached = [drive("sata", disk, "FM0500T3XW8D")]
    attached.append(["-drive", f"if=none,id=carry,format=raw,file={carry}", "-device", "usb-storage,drive=carry,bus=xhci.0,serial=CARRY001,removable=on"])
    with VM(image, how="disc", drives=attached, folder=folder) as vm:
        into_shell(vm)
        _, facts = vm.command("cat /run/jurex-medium.toml")
        check("No data partition was found" in facts and 'data = ""' in facts, facts)
        path = path_of(vm, "FM0500T3XW8D")
        code, said = vm.command(f"jurex erase {path} --passes 00 --label-check T3XW8D --out /run/jurex/certificates --quiet", 200)
        check(code == 0, said)
        _, said = vm.command("machine volumes")
        check("CARRY" in said, f"no volume to carry to: {said}")
        device = re.search(r"(/dev/\S+)\s+CARRY", said).group(1)
        code, said = vm.command(f"machine carry {device}", 60)
        check(code == 0 and "read back" in said, said)
        code, said = vm.command("machine carry /dev/nowhere", 30)
        check(code == 1 and "not there" in said, said)
        vm.cut()
    listed = run("mdir", "-i", carry, "-/", "-b", "::")
    check(".certificate.pdf" in listed and "ledger.sqlite3" in listed.lower(), listed)


def bad_starts(image, folder):
    """Two data partitions, a full one, one that is write-protected, a clock that is wrong, no drives: a sentence each."""
    first, second = Stick(image, folder, "a.img"), Stick(image, folder, "b.img")
    attached = []
    for n, stick in enumerate((first, second)):
        attached.append(["-drive", f"if=none,id=d{n},format=raw,file={stick.file}", "-device", f"usb-storage,drive=d{n},bus=xhci.0,serial=SECOND0{n},removable=on"])
    with VM(image, how="disc", drives=attached, folder=folder, extra=["-rtc", "base=1999-03-04T05:06:07"]) as vm:
        into_shell(vm)
        _, facts = vm.command("cat /run/jurex-medium.toml")
        check("2 data partitions were found" in facts and 'data = ""' in facts, facts)
        verdicts = [d["verdict"] for d in drives(vm) if (d["serial"] or "").startswith("SECOND")]
        check(len(verdicts) == 2 and all("start medium" in json.dumps(v) for v in verdicts), f"other media are not guarded: {verdicts}")
        _, said = vm.command("date +%Y")
        check("1999" in said, said)
    full = Stick(image, folder, "full.img")
    full._take_out()
    size = os.path.getsize(full.data)
    with tempfile.NamedTemporaryFile() as filler:
        filler.truncate(0)
        filler.write(os.urandom(MIB) * (size // MIB - 12))
        filler.flush()
        debugfs(full.data, f"write {filler.name} filler")
    full._put_back()
    with VM(full.file, folder=folder) as vm:
        into_shell(vm)
        _, facts = vm.command("cat /run/jurex-medium.toml")
        check("data partition is full" in facts, facts)
        _, said = vm.command("jurex drives")
        check("no drive" in said.lower() or said.count("yes") == 0, said)
    locked = Stick(image, folder, "locked.img")
    with VM(folder=folder, drives=[["-drive", f"if=none,id=medium,format=raw,readonly=on,file={locked.file}", "-device", "usb-storage,drive=medium,bus=xhci.0,bootindex=0,serial=MEDIUM01"]]) as vm:
        into_shell(vm)
        _, facts = vm.command("cat /run/jurex-medium.toml")
        check("can't be written" in facts or "could not be mounted" in facts, facts)
        check('data = ""' in facts, facts)


def sleeps(image, folder):
    """The machine sleeps (S3), wakes up by itself, and its drives are there again and can be erased."""
    stick = Stick(image, folder)
    disk = marked(os.path.join(folder, "disk"), 8, "FM0500T3XW8D")
    with VM(stick.file, drives=[drive("sata", disk, "FM0500T3XW8D")], folder=folder) as vm:
        into_shell(vm)
        code, said = vm.command("machine sleep 5", 120)
        check(code == 0 and "awake again" in said, f"{code} {said}")
        path = path_of(vm, "FM0500T3XW8D")
        code, said = vm.command(f"jurex erase {path} --passes 00 --label-check T3XW8D --out /data/jurex/certificates --quiet", 200)
        check(code == 0, said)
    check(holds_only(disk, 0), "the drive is not all zeros")


def settings(image, folder):
    """Keyboard, zone and clock are taken from the settings, and by hand; what is not there is said."""
    stick = Stick(image, folder)
    stick.put("config.toml", 'keyboard = "de"\nzone = "Europe/Lisbon"\n')
    with VM(stick.file, folder=folder, extra=["-rtc", "base=2026-07-04T05:06:07"]) as vm:
        into_shell(vm)
        _, facts = vm.command("cat /run/jurex-medium.toml")
        check('keyboard = "de"' in facts and 'zone = "Europe/Lisbon"' in facts, facts)
        _, said = vm.command("date +%Z")
        check("WEST" in said, said)
        _, said = vm.command("machine keyboard | wc -w")
        check(int(said.split()[-1]) >= 20, said)
        for words, answer, expected in [
            ("keyboard fr", 0, "fr now"), ("keyboard xx", 1, "no keyboard layout xx"), ("keyboard ../passwd", 1, "no keyboard layout"),
            ("zone Mars/Olympus", 1, "no zone"), ("zone ../../etc/passwd", 1, "no zone"),
            ("clock '2026-12-24 18:00'", 0, "2026-12-24 18:00"), ("clock tomorrow", 1, "no date"),
        ]:
            code, said = vm.command(f"machine {words}", 30)
            check(code == answer and expected in said, f"machine {words}: {code} {said}")


def network(image, folder):
    """Records in a folder by SMB and by NFS, and a start from the network by BIOS (iPXE, TFTP), where these can be served."""
    if shutil.which("smbd"):
        share = os.path.join(folder, "share")
        os.makedirs(share)
        os.chmod(share, 0o777)
        os.chmod(folder, 0o755)
        with_folder(image, folder, "smb://10.0.2.4/qemu", share, f",smb={share}")
    else:
        print("    NOT RUN: a folder by SMB needs the package samba")
    served = os.environ.get("JUREX_NFS")  # the folder that this machine serves by NFS as /bench
    if served:
        with_folder(image, folder, "nfs:10.0.2.2:/bench", served, "")
    else:
        print("    NOT RUN: name a folder that is served by NFS as /bench in JUREX_NFS")
    tftp = os.environ.get("JUREX_NETWORK")
    if not tftp:
        print("    NOT RUN: name the folder of `medium build --network` in JUREX_NETWORK")
        return
    extra = ["-netdev", f"user,id=net,tftp={tftp},bootfile=jurex.ipxe", "-device", "virtio-net-pci,netdev=net,bootindex=0"]
    with VM(folder=folder, extra=extra) as vm:
        vm.wait_for("press Enter", 300)
        time.sleep(6)
        vm.picture(os.path.join(folder, "network.png"))


def with_folder(image, folder, data, share, net):
    """Records go to a folder over the network, as network.conf on the data partition says; this machine finds them in `share`."""
    stick = Stick(image, folder)
    stick.put("network.conf", f"net=dhcp\ndata={data}\n")
    disk = marked(os.path.join(folder, "disk"), 8, "FM0500T3XW8D")
    extra = ["-netdev", f"user,id=net{net}", "-device", "virtio-net-pci,netdev=net"]
    with VM(stick.file, drives=[drive("sata", disk, "FM0500T3XW8D")], folder=folder, extra=extra) as vm:
        into_shell(vm)
        _, facts = vm.command("cat /run/jurex-medium.toml")
        check(f'data = "{data.removeprefix("nfs:").removeprefix("smb:")}"' in facts, facts)
        path = path_of(vm, "FM0500T3XW8D")
        code, said = vm.command(f"JUREX_HOME=/data/jurex jurex erase {path} --passes 00 --label-check T3XW8D --out /data/jurex/certificates --quiet", 200)
        check(code == 0, said)
        vm.command("sync; umount /data", 30)
    believed(os.path.join(share, "jurex"), 1)


TESTS = [unattended, written, bios_disc, uefi_stick, uefi_disc, secure_stick, secure_disc, partitions, power_cut, in_memory, bad_starts, sleeps, settings, network]


def main(image, *names):
    wanted = [t for t in TESTS if not names or t.__name__ in names]
    if not wanted:
        sys.exit(f"there are {', '.join(t.__name__ for t in TESTS)}")
    failed = []
    for test in wanted:
        folder = tempfile.mkdtemp(prefix=f"jurex-{test.__name__}-")
        began = time.time()
        try:
            test(os.path.abspath(image), folder)
            print(f"ok      {test.__name__} ({time.time() - began:.0f} s): {test.__doc__ or ''}", flush=True)
            shutil.rmtree(folder)
        except Exception:
            failed.append(test.__name__)
            print(f"FAILED  {test.__name__} ({time.time() - began:.0f} s), see {folder}\n{traceback.format_exc()}", flush=True)
    print(f"{len(wanted) - len(failed)} passed, {len(failed)} failed")
    sys.exit(1 if failed else 0)


if __name__ == "__main__":
    if len(sys.argv) < 2:
        sys.exit(__doc__)
    main(*sys.argv[1:])
