#!/usr/bin/env python3
"""That the events of a job are those that its ledger's entry tells of: jurex ledger show JOB --json | events.py

The digest is SHA-256 over a line for each event in its order: number, tab, time, tab, its text as it is kept, line feed. The entry (its leaf
stands in the proof) names how many there were when the record was made; later ones stand under entries of their own."""
import base64, hashlib, json, sys

story = json.load(sys.stdin)
if not story["proof"]:
    sys.exit("there is no signed head over it: nothing is proved")
leaf = json.loads(base64.b64decode(story["proof"].splitlines()[1].removeprefix("extra ")))
then = story["events"][: leaf["events"]]
lines = "".join(f"{event['number']}\t{event['time']}\t{event['text']}\n" for event in then)
if len(then) < leaf["events"] or hashlib.sha256(lines.encode()).hexdigest() != leaf["events_digest"]:
    sys.exit("these are NOT the events that the entry tells of")
print(f"{leaf['events']} events of job {leaf['job']} are those that its entry tells of; {len(story['events']) - len(then)} came later")
