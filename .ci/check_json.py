"""Gives the JSON Schema of a game's saves, exported saves, and planted faults to another validator.

check_json.py KEBLIN DECLARATION FAULTS SAVE...
"""

import copy
import json
import subprocess
import sys

from jsonschema import Draft202012Validator


def printed(keblin, declaration, *args):
    ran = subprocess.run([keblin, "--schema", declaration, *args], capture_output=True, check=True, text=True)
    return json.loads(ran.stdout)


def put(document, path, value):
    *parents, key = path.strip("/").split("/")
    for parent in parents:
        document = document[parent]
    document[key] = value


keblin, declaration, faults, *saves = sys.argv[1:]
rules = printed(keblin, declaration, "schema", "--json-schema")
Draft202012Validator.check_schema(rules)
validator = Draft202012Validator(rules)
accepted = []
for save in saves:
    if "device" in save:
        continue
    document = printed(keblin, declaration, "export", save)
    errors = [f"{error.json_path}: {error.message}" for error in validator.iter_errors(document)]
    if errors:
        sys.exit(f"{save}: {errors}")
    accepted.append((save, document))
good = next((document for save, document in accepted if "every_type" in save), accepted[0][1])
with open(faults, encoding="utf-8") as file:
    faults = json.load(file)
for fault in faults:
    bad = copy.deepcopy(good)
    put(bad, fault["at"], fault["value"])
    if validator.is_valid(bad):
        sys.exit(f"{fault['at']} = {fault['value']}: the JSON Schema accepts it")
if len(accepted) < 3 or len(faults) < 6:
    sys.exit("too few saves or faults")
print(f"{len(accepted)} exported saves are valid, {len(faults)} faults are refused")
