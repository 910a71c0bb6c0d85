#!/usr/bin/env python3
"""That a record stands in a ledger: proof.py JOB.tlog-proof JOB.record.json KEY.pem

The leaf (in `extra`) is JSON: kind "record", job, made (when it was added), record (SHA-256 of the record's text), events (how many of its
job were there) and events_digest (events.py). Its hash is SHA-256 of a zero byte and its text; two hashes make the one above them as SHA-256
of a byte 1 and both (RFC 6962, 2.1). The head is a note: three lines, a blank one, and the signature: a dash, the key's id, and in base64 four
bytes of key hash with the 64 of the Ed25519 signature of the three lines. The key hash begins SHA-256 of id, a line feed, a byte 1, and the
32 bytes of the key. The id is the RFC 7638 thumbprint."""
import base64, hashlib, json, subprocess, sys, tempfile

sha = lambda *parts: hashlib.sha256(b"".join(parts)).digest()
proof, record, pem = (open(name, "rb").read() for name in sys.argv[1:4])


def refuse(why):
    print(f"NOT PROVED: {why}", file=sys.stderr)
    sys.exit(1)


head, note = proof.decode().split("\n\n", 1)
lines = head.split("\n")
leaf = base64.b64decode(lines[1].removeprefix("extra "))
index = int(lines[2].removeprefix("index "))
path = [base64.b64decode(line) for line in lines[3:]]
says = json.loads(leaf)
if says["kind"] != "record" or says["record"] != hashlib.sha256(record.rstrip(b"\n")).hexdigest():
    refuse("the leaf is of another record")

text, signature = note.split("\n\n")
text += "\n"
origin, size, root = text.splitlines()
node, at, last = sha(b"\0", leaf), index, int(size) - 1
for beside in path:
    if at % 2 or at == last:
        node = sha(b"\1", beside, node)
        while at and not at % 2:
            at, last = at // 2, last // 2
    else:
        node = sha(b"\1", node, beside)
    at, last = at // 2, last // 2
if last or index >= int(size) or node != base64.b64decode(root):
    refuse("the leaf does not lead to the head")

key = base64.b64decode("".join(line for line in pem.decode().splitlines() if not line.startswith("-")))[-32:]
url = lambda raw: base64.urlsafe_b64encode(raw).rstrip(b"=").decode()
kid = url(sha(json.dumps({"crv": "Ed25519", "kty": "OKP", "x": url(key)}, separators=(",", ":")).encode()))
_, name, raw = signature.split()
raw = base64.b64decode(raw)
if name != kid or raw[:4] != sha(kid.encode(), b"\n\1", key)[:4]:
    refuse("the head is signed by another key")
with tempfile.NamedTemporaryFile() as of, tempfile.NamedTemporaryFile() as by:
    for file, content in ((of, text.encode()), (by, raw[4:])):
        file.write(content), file.flush()
    command = ["openssl", "pkeyutl", "-verify", "-pubin", "-inkey", sys.argv[3], "-rawin", "-in", of.name, "-sigfile", by.name]
    if subprocess.run(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL).returncode:
        refuse("the signature is not of this head")
print(f"job {says['job']}: entry {index + 1} of {size}, under a head signed by key {kid}")
