#!/usr/bin/env python3
"""Tries small changes of the code one by one and tells which no test notices: run.py [FILE…]

All of them are compiled in at once (see src/main.rs). Each is tried with the tests that come by it: those of its own crate first, and where
these notice nothing, those of the crates that build on it. What was found stands in target/mutants: report.md, survivors.txt.
"""
import collections
import concurrent.futures
import glob
import json
import os
import re
import shutil
import subprocess
import sys

HOME = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))
WORK = os.path.join(HOME, "target/mutants")
TREE, SEEN, SKIPPED, LIST = (os.path.join(WORK, name) for name in ("tree", "seen", "skipped", "list.json"))
# The rooms that carry claims.
ROOMS = """crates/device/src/guard.rs crates/sanitize/src/rules/case.rs crates/sanitize/src/rules/mod.rs crates/sanitize/src/rules/data.rs
crates/sanitize/src/evidence/*.rs crates/sanitize/src/record/*.rs crates/sanitize/src/plan/*.rs crates/engine/src/job/*.rs
crates/engine/src/job/*/*.rs crates/engine/src/list.rs crates/engine/src/doubt.rs crates/engine/src/measure.rs
crates/engine/src/baseline.rs crates/engine/src/siblings.rs crates/disposition/src/proof/*.rs crates/file-erase/src/*.rs"""
SOWN = ["device", "sanitize", "engine", "disposition", "file-erase"]
TESTED = [*SOWN, "sim", "ledger"]
# Runs over many seeds, of which one takes as long as all others: left out where a change is tried by other crates' tests.
LONG = {("ledger", "truth"), ("sim", "forecast")}
# No build of these may warn, and none is to be fast.
BUILD = dict(os.environ, CARGO_TARGET_DIR=os.path.join(WORK, "build"), CARGO_PROFILE_DEV_OPT_LEVEL="1", CARGO_PROFILE_TEST_OPT_LEVEL="1",
             CARGO_PROFILE_DEV_DEBUG="0", RUSTFLAGS="-Awarnings")
# The tests stop at the first that fails (the switch for it asks for RUSTC_BOOTSTRAP), and look for no smaller case.
RUN = dict(os.environ, JUREX_SEEDS="10", PROPTEST_CASES="16", PROPTEST_MAX_SHRINK_ITERS="0", RUST_TEST_THREADS="4", RUST_BACKTRACE="0",
           RUSTC_BOOTSTRAP="1")
NUMBER = re.compile(r"on\((\d+)\)|(\d+) (?:true|false|[-+*/%&|^<>!=]+); |not!\((\d+);")
ENDLESS = 40  # seconds


def cargo(*words):
    return subprocess.run(["cargo", *words], cwd=TREE, env=BUILD, capture_output=True, text=True)


def sow(files):
    """A fresh copy of the sources with everything sown in but for what was skipped."""
    shutil.rmtree(TREE, ignore_errors=True)
    os.makedirs(TREE)
    listed = subprocess.run(["git", "ls-files", "-z"], cwd=HOME, capture_output=True, check=True).stdout
    subprocess.run(["tar", "c", "--null", "-T", "-", "-f", os.path.join(WORK, "tree.tar")], cwd=HOME, input=listed, check=True)
    subprocess.run(["tar", "x", "-f", os.path.join(WORK, "tree.tar"), "-C", TREE], check=True)
    shutil.copy(os.path.join(HOME, "mutants/sown.rs"), TREE)
    program = os.path.join(WORK, "sower/release/jurex-mutants")
    subprocess.run([program, SKIPPED, LIST, TREE, *files], check=True, stdout=subprocess.DEVNULL)


def numbers_at(span):
    """The changes to which an error of the compiler leads."""
    while span["file_name"].endswith("sown.rs") and span.get("expansion"):
        span = span["expansion"]["span"]
    with open(os.path.join(TREE, span["file_name"]), encoding="utf-8") as file:
        lines = file.read().split("\n")
    found = lambda line: [(m.start(), int(next(g for g in m.groups() if g))) for m in NUMBER.finditer(lines[line - 1])]
    first, last = span["column_start"] - 1, span["column_end"] - 1 if span["line_end"] == span["line_start"] else 10**9
    here = found(span["line_start"])
    inside, before = [n for at, n in here if first <= at < last], [n for at, n in here if at < first]
    if inside or before:
        return {inside[0] if inside else before[-1]}
    for line in range(span["line_start"] - 1, max(0, span["line_start"] - 12), -1):
        if found(line):
            return {n for _, n in found(line)}
    return set()


def compile_all(files):
    """Leaves out what does not compile, round by round. Gives how many these are."""
    skipped = set()
    while True:
        with open(SKIPPED, "w", encoding="utf-8") as file:
            file.writelines(f"{n}\n" for n in sorted(skipped))
        sow(files)
        done = cargo("check", "--keep-going", "--lib", "--message-format=json", *(w for c in SOWN for w in ("-p", f"jurex-{c}")))
        if done.returncode == 0:
            return len(skipped)
        new = set()
        for message in map(json.loads, done.stdout.splitlines()):
            if message.get("reason") == "compiler-message" and message["message"]["level"] == "error":
                spans = [s for s in message["message"]["spans"] if s["is_primary"]] or message["message"]["spans"]
                new |= set().union(*(numbers_at(s) for s in spans)) if spans else set()
        if not new - skipped:
            sys.exit(f"what does not compile was not found:\n{done.stderr[-4000:]}")
        skipped |= new


def binaries():
    done = cargo("test", "--no-run", "--lib", "--tests", "--message-format=json", *(w for c in TESTED for w in ("-p", f"jurex-{c}")))
    if done.returncode != 0:
        sys.exit(done.stderr[-4000:])
    found = []
    for message in map(json.loads, done.stdout.splitlines()):
        if message.get("executable") and message["profile"]["test"]:
            crate = re.search(r"crates/([^#/]+)", message["package_id"]).group(1)
            found.append((crate, message["target"]["name"], message["executable"]))
    return found


def run(binary, tests, **more):
    words = [binary[2], "-Zunstable-options", "--fail-fast"] + ([] if "?" in tests else ["--exact", *sorted(tests)])
    return subprocess.run(words, cwd=os.path.join(TREE, "crates", binary[0]), env=dict(RUN, **more), capture_output=True, text=True,
                          timeout=ENDLESS if "MUTANT" in more else None)


def who_comes_by(found):
    """{number: {place of the binary: tests}}"""
    came = collections.defaultdict(lambda: collections.defaultdict(set))
    for n, binary in enumerate(found):
        folder = os.path.join(SEEN, str(n))
        os.makedirs(folder)
        done = run(binary, {"?"}, MUTANT_SEEN=folder)
        if done.returncode != 0:
            sys.exit(f"{binary[0]} {binary[1]} fails without any change:\n{done.stdout[-4000:]}")
        for test in os.listdir(folder):
            with open(os.path.join(folder, test), encoding="utf-8") as file:
                for line in file:
                    came[int(line)][n].add(test.replace("+", "::"))
    return came


def try_one(change, found, came):
    own = change["file"].split("/")[1]
    reached = sorted(came.get(change["id"], {}), key=lambda n: found[n][0] != own)
    by_own = False
    for n in reached:
        crate, name, _ = found[n]
        by_own |= crate == own
        if crate != own and (crate, name) in LONG:
            continue
        try:
            noticed = run(found[n], came[change["id"]][n], MUTANT=str(change["id"])).returncode != 0
        except subprocess.TimeoutExpired:
            noticed = True
        if noticed:
            return "own" if crate == own else "others"
    return "survived" if by_own else "not reached" if not reached else "survived elsewhere"


def main(files):
    os.makedirs(WORK, exist_ok=True)
    subprocess.run(["cargo", "build", "--quiet", "--release", "--locked"], cwd=os.path.join(HOME, "mutants"), check=True,
                   env=dict(os.environ, CARGO_TARGET_DIR=os.path.join(WORK, "sower")))
    no_build = compile_all(files)
    found = binaries()
    shutil.rmtree(SEEN, ignore_errors=True)
    came = who_comes_by(found)
    with open(LIST, encoding="utf-8") as file:
        changes = json.load(file)
    print(f"{len(changes)} changes, and {no_build} that do not compile", flush=True)
    count = collections.defaultdict(collections.Counter)
    with concurrent.futures.ThreadPoolExecutor(os.cpu_count()) as pool, open(os.path.join(WORK, "survivors.txt"), "w", encoding="utf-8") as left:
        for change, how in zip(changes, pool.map(lambda c: try_one(c, found, came), changes)):
            count["/".join(change["file"].split("/")[1:4:2])][how] += 1
            if how not in ("own", "others"):
                print(f"{change['file']}:{change['line']}\t{change['in']}\t{change['what']}\t{how}", file=left, flush=True)
    with open(os.path.join(WORK, "report.md"), "w", encoding="utf-8") as report:
        print("| room | changes | noticed by its own crate | by others | by none |\n|---|---|---|---|---|", file=report)
        for room, how in sorted(count.items()):
            none = sum(how.values()) - how["own"] - how["others"]
            print(f"| {room} | {sum(how.values())} | {how['own']} | {how['others']} | {none} |", file=report)
    with open(os.path.join(WORK, "report.md"), encoding="utf-8") as report:
        print(report.read())


if __name__ == "__main__":
    wanted = sys.argv[1:] or [f for room in ROOMS.split() for f in sorted(glob.glob(room, root_dir=HOME))]
    main([f for f in wanted if not f.endswith("testing.rs") and not re.search(r"/tests(/|\.rs)", f)])
