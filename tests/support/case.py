"""A CASE framework for the tests."""

import json


def item(key, code=None, levels=(), text="Do it", **more):
    made = {"identifier": key, "uri": f"urn:{key}", "fullStatement": text, "educationLevel": list(levels), **more}
    return made | ({"humanCodingScheme": code} if code else {})


def link(kind, origin, destination, order=1):
    ends = {"originNodeURI": origin, "destinationNodeURI": destination}
    return {"associationType": kind, "sequenceNumber": order} | {
        name: {"title": "", "identifier": key, "uri": f"urn:{key}"} for name, key in ends.items()
    }


ITEMS = [
    item("h", text="Number", abbreviatedStatement="Number"),
    item("a", "3.N.1", ["03"], "Round", CFItemType="Priority"),
    item("b", "4.N.1", ["04"], "Compare"),
    item("c", "K.N.1", ["KG"], "Count"),
    item("d", "5-6.N.1", ["05", "06"], "Reason"),
]
LINKS = [
    link("isChildOf", "h", "doc"), link("isChildOf", "a", "h"), link("isChildOf", "b", "h"),
    link("precedes", "c", "a"), link("precedes", "a", "b"), link("isRelatedTo", "a", "d"),
]  # fmt: skip


def framework(items=None, links=None, **more):
    document = {"identifier": "doc", "title": "Fen standards", "subject": ["Mathematics"], "creator": "nobody"}
    answer = {"CFDocument": document, "CFItems": items or ITEMS, "CFAssociations": LINKS if links is None else links}
    return json.dumps({**answer, **more}).encode()
