"""YAML as this program reads it: by libyaml, without numbers to the base of sixty.

YAML 1.1 reads 59:59:59 as one number, which takes a time that grows with the square of its length; YAML 1.2 (2009,
section 10.2) knows none of them.
"""

from __future__ import annotations

import re

import yaml


class Loader(yaml.CSafeLoader):
    """Safe, and without numbers to the base of sixty."""


Loader.yaml_implicit_resolvers = {
    first: [
        (
            (tag, re.compile(rf"(?![^:]*:)(?:{pattern.pattern})", pattern.flags))
            if tag in ("tag:yaml.org,2002:int", "tag:yaml.org,2002:float")
            else (tag, pattern)
        )
        for tag, pattern in resolvers
    ]
    for first, resolvers in yaml.CSafeLoader.yaml_implicit_resolvers.items()
}
