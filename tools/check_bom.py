"""Holds bills of materials against the standard's own schema, with the standard's own library: check_bom.py FILE..."""

import sys

from cyclonedx.schema import SchemaVersion
from cyclonedx.validation.json import JsonStrictValidator

validator = JsonStrictValidator(SchemaVersion.V1_5)
bad = 0
for name in sys.argv[1:]:
    with open(name, encoding="utf-8") as file:
        error = validator.validate_str(file.read())
    if error:
        bad = 1
        print(f"{name}: {str(error).splitlines()[0]}")
sys.exit(bad)
