#!/usr/bin/env python3
"""Which sectors a sampled reading had to read: places.py RECORD prints them (first, count), and compares them with what it says it read.

The range is divided into 1,000 equal parts (fewer on a smaller one). 16 bytes of keystream (AES-128 in counter mode under the seed, from a
counter of 0) belong to each part: two numbers of 8 bytes, little-endian. Each place is a twentieth of its part long, rounded up. Of the
sectors that the two places leave free, each number modulo (free + 1) is one draw: the smaller is where the first place begins, the larger,
and a place's length after it, where the second does. Parts too small for two places are read whole; first and last sector always."""
import json, subprocess, sys


def keystream(seed, length):
    command = ["openssl", "enc", "-aes-128-ctr", "-K", seed, "-iv", "0" * 32]
    return subprocess.run(command, input=bytes(length), stdout=subprocess.PIPE, check=True).stdout


def places(seed, first, count):
    parts = min(count, 1000)
    draws = keystream(seed, parts * 16)
    found = []
    for part in range(parts):
        begin, end = (first + count * n // parts for n in (part, part + 1))
        long = -(-(end - begin) // 20)
        free = end - begin - 2 * long
        if free < 0:
            found.append((begin, end))
            continue
        a, b = sorted(int.from_bytes(draws[at:at + 8], "little") % (free + 1) for at in (16 * part, 16 * part + 8))
        found += [(begin + a, begin + a + long), (begin + b + long, begin + b + 2 * long)]
    return merged(found + [(first, first + 1), (first + count - 1, first + count)])


def merged(stretches):
    whole = []
    for begin, end in sorted(stretches):
        if whole and begin <= whole[-1][1]:
            whole[-1][1] = max(end, whole[-1][1])
        else:
            whole.append([begin, end])
    return whole


def stretches(ranges):
    return [(int(r["first"]), int(r["first"]) + int(r["count"])) for r in ranges]


record = json.load(open(sys.argv[1]))
same = True
for stage in record["evidence"]["stages"]:
    what = stage["what"]
    readings = [what] + [one["read_back"] for one in what.get("passes", []) if one.get("read_back")]
    for reading in (one for one in readings if one.get("sampling")):
        drawn = places(reading["sampling"]["seed"], int(what["range"]["first"]), int(what["range"]["count"]))
        read = merged(stretches(reading["read"]) + stretches(reading["unreadable"]))
        same &= drawn == read
        for begin, end in drawn:
            print(begin, end - begin)
print("the record says that these were read" if same else "the record says that OTHER sectors were read", file=sys.stderr)
sys.exit(0 if same else 1)
