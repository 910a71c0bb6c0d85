#!/usr/bin/env python3
"""Who has signed a record: signed.py JOB.record.jws.json KEY.pem prints the record, if the signature under it is right.

A JWS in the flattened JSON serialization (RFC 7515, 7.2.2): what is signed is `protected`, a full stop and `payload`, as they stand there."""
import base64, json, subprocess, sys, tempfile

signed = json.load(open(sys.argv[1]))
decode = lambda text: base64.urlsafe_b64decode(text + "=" * (-len(text) % 4))
if json.loads(decode(signed["protected"]))["alg"] not in ("EdDSA", "Ed25519"):
    sys.exit("it is signed by another algorithm")
with tempfile.NamedTemporaryFile() as of, tempfile.NamedTemporaryFile() as by:
    of.write(f"{signed['protected']}.{signed['payload']}".encode()), of.flush()
    by.write(decode(signed["signature"])), by.flush()
    command = ["openssl", "pkeyutl", "-verify", "-pubin", "-inkey", sys.argv[2], "-rawin", "-in", of.name, "-sigfile", by.name]
    if subprocess.run(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL).returncode:
        sys.exit("the signature is NOT that of this key")
sys.stdout.buffer.write(decode(signed["payload"]))
