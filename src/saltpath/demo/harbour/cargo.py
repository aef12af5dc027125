"""Cargo is declared by SOAP, 1.1 or 1.2, at /cargo; its WSDL is at /cargo?wsdl. Faults are SOAP
faults."""

from __future__ import annotations

import itertools
from xml.sax.saxutils import escape, quoteattr

from lxml import etree

from saltpath.demo.harbour.routes import Call, Reply, route

NAMESPACE = "urn:fernholm:cargo"
ACTION = "urn:fernholm:declare"
SOAP_11 = "http://schemas.xmlsoap.org/soap/envelope/"
SOAP_12 = "http://www.w3.org/2003/05/soap-envelope"
_numbers = itertools.count(7001)


@route("GET", "/cargo")
def _wsdl(call: Call) -> Reply:
    return Reply(
        200,
        WSDL.format(address=f"{call.base}/cargo").encode(),
        (("Content-Type", "text/xml; charset=utf-8"),),
    )


@route("POST", "/cargo")
def _declare(call: Call) -> Reply:
    """A declaration, and the receipt for it; dangerous goods need a class."""
    soap = SOAP_12 if SOAP_12.encode() in call.raw else SOAP_11
    if ACTION not in call.headers.get("SOAPAction", "") + call.headers.get("Content-Type", ""):
        return _fault(soap, "the action is missing; it is " + ACTION)
    try:
        parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False)
        root = etree.fromstring(call.raw, parser)
    except (etree.XMLSyntaxError, ValueError) as problem:
        return _fault(soap, f"the envelope cannot be read: {problem}")
    items = root.findall(f".//{{{NAMESPACE}}}item")
    if not items:
        return _fault(soap, "a declaration needs at least one item")
    for item in items:
        if item.get("dangerous") == "true" and not item.get("class"):
            return _fault(soap, f"{item.text or 'an item'} is dangerous, and has no class")
    tonnes = sum(float(item.get("tonnes", "0")) for item in items)
    number = f"CD-{next(_numbers)}"
    lines = "".join(
        f"<item tonnes={quoteattr(i.get('tonnes', '0'))}>{escape(i.text or '')}</item>"
        for i in items
    )
    return _envelope(
        200,
        soap,
        f'<receipt xmlns="{NAMESPACE}" '
        f'number="{number}"><tonnes>{tonnes:.2f}</tonnes>{lines}</receipt>',
    )


def _envelope(status: int, soap: str, inside: str) -> Reply:
    media = "text/xml" if soap == SOAP_11 else "application/soap+xml"
    text = (
        '<?xml version="1.0" encoding="utf-8"?>\n<soap:Envelope '
        f'xmlns:soap="{soap}"><soap:Body>{inside}</soap:Body></soap:Envelope>'
    )
    return Reply(status, text.encode(), (("Content-Type", f"{media}; charset=utf-8"),))


def _fault(soap: str, reason: str) -> Reply:
    if soap == SOAP_11:
        inside = (
            "<soap:Fault><faultcode>soap:Client</faultcode>"
            f"<faultstring>{escape(reason)}</faultstring></soap:Fault>"
        )
        return _envelope(500, soap, inside)
    inside = (
        "<soap:Fault><soap:Code><soap:Value>soap:Sender</soap:Value></soap:Code>"
        "<soap:Reason><soap:Text "
        f'xml:lang="en">{escape(reason)}</soap:Text></soap:Reason></soap:Fault>'
    )
    return _envelope(400, soap, inside)


WSDL = """<?xml version="1.0" encoding="utf-8"?>
<definitions name="Cargo" targetNamespace="urn:fernholm:cargo"
    xmlns="http://schemas.xmlsoap.org/wsdl/"
    xmlns:tns="urn:fernholm:cargo" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/"
    xmlns:xs="http://www.w3.org/2001/XMLSchema">
  <types>
    <xs:schema targetNamespace="urn:fernholm:cargo" elementFormDefault="qualified">
      <xs:complexType name="Item"><xs:simpleContent><xs:extension base="xs:string">
        <xs:attribute name="tonnes" type="xs:decimal"/>
        <xs:attribute name="dangerous" type="xs:boolean"/>
        <xs:attribute name="class" type="xs:string"/></xs:extension></xs:simpleContent>
        </xs:complexType>
      <xs:element name="declaration"><xs:complexType><xs:sequence>
        <xs:element name="item" type="tns:Item" maxOccurs="unbounded"/></xs:sequence>
        <xs:attribute name="portCall" type="xs:string"/></xs:complexType></xs:element>
      <xs:element name="receipt"><xs:complexType><xs:sequence>
        <xs:element name="tonnes" type="xs:decimal"/>
        <xs:element name="item" type="tns:Item" maxOccurs="unbounded"/></xs:sequence>
        <xs:attribute name="number" type="xs:string"/></xs:complexType></xs:element>
    </xs:schema>
  </types>
  <message name="DeclareIn"><part name="body" element="tns:declaration"/></message>
  <message name="DeclareOut"><part name="body" element="tns:receipt"/></message>
  <portType name="CargoDesk"><operation name="Declare">
    <input message="tns:DeclareIn"/><output message="tns:DeclareOut"/></operation></portType>
  <binding name="CargoSoap" type="tns:CargoDesk">
    <soap:binding style="document" transport="http://schemas.xmlsoap.org/soap/http"/>
    <operation name="Declare"><soap:operation soapAction="urn:fernholm:declare"/>
      <input><soap:body use="literal"/></input><output><soap:body use="literal"/></output>
      </operation></binding>
  <service name="Cargo"><port name="CargoPort" binding="tns:CargoSoap">
  <soap:address location="{address}"/></port></service>
</definitions>
"""
