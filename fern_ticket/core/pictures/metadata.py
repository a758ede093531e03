"""Metadata of a picture: what it is called, who made it, what was done to it, and where it was taken.

Written as XMP (ISO 16684-1) with the properties of the IPTC Photo Metadata Standard, as IPTC-IIM (`iim.py`) and in EXIF
(CIPA DC-008) for readers that know nothing else. A flat panorama says so by the properties of the Photo Sphere XMP
document.
"""

from __future__ import annotations

import math
import re
import warnings
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from xml.etree import ElementTree

from PIL import Image, IptcImagePlugin

from fern_ticket.core.pictures.exif import PLACE, loaded, text_of, texts_of, written
from fern_ticket.core.pictures.opening import open_picture

#: Values of the IPTC's vocabulary "Digital Source Type": as the camera made it; changed by a person; put together of
#: several photographs; put together with something that is no photograph (from memory).
AS_TAKEN = "http://cv.iptc.org/newscodes/digitalsourcetype/digitalCapture"
EDITED = "http://cv.iptc.org/newscodes/digitalsourcetype/humanEdits"
COMPOSED = "http://cv.iptc.org/newscodes/digitalsourcetype/compositeCapture"
COMPOSED_SYNTHETIC = "http://cv.iptc.org/newscodes/digitalsourcetype/compositeSynthetic"

_X = "adobe:ns:meta/"
_RDF = "http://www.w3.org/1999/02/22-rdf-syntax-ns#"
_DC = "http://purl.org/dc/elements/1.1/"
_EVENT = "http://ns.adobe.com/xap/1.0/sType/ResourceEvent#"
_HISTORY = "http://ns.adobe.com/xap/1.0/mm/"
_IPTC = "http://iptc.org/std/Iptc4xmpExt/2008-02-29/"
#: The namespace that the IPTC standard gives its property "Credit Line".
_CREDIT = "http://ns.adobe.com/photoshop/1.0/"
_SPHERE = "http://ns.google.com/photos/1.0/panorama/"
_CORE = "http://iptc.org/std/Iptc4xmpCore/1.0/xmlns/"
_CONTACT = f"{{{_CORE}}}CreatorContactInfo"
_LICENCE = "http://ns.useplus.org/ldf/xmp/1.0/"
_RIGHTS = "http://ns.adobe.com/xap/1.0/rights/"
_XMP = "http://ns.adobe.com/xap/1.0/"
_LANGUAGE = "{http://www.w3.org/XML/1998/namespace}lang"
_PREFIXES = {
    "x": _X,
    "rdf": _RDF,
    "dc": _DC,
    "stEvt": _EVENT,
    "xmpMM": _HISTORY,
    "Iptc4xmpExt": _IPTC,
    "photoshop": _CREDIT,
    "GPano": _SPHERE,
    "xmp": _XMP,
    "xmpRights": _RIGHTS,
    "Iptc4xmpCore": _CORE,
    "plus": _LICENCE,
}
#: EXIF tags: image description, artist, copyright.
_DESCRIPTION, _ARTIST, _COPYRIGHT = 0x010E, 0x013B, 0x8298
#: Properties of an original that stay when it was edited, as they are about the photo and not about its file: those of
#: the IPTC Photo Metadata Standard, and of the namespaces that it shares those named; None for all.
_KEPT: dict[str, tuple[str, ...] | None] = {
    _DC: None,
    _CORE: None,
    _IPTC: None,
    _RIGHTS: None,
    _LICENCE: None,
    _XMP: ("CreateDate", "Rating", "Label"),
    _CREDIT: (
        *("Headline", "Instructions", "Source", "DateCreated", "AuthorsPosition", "CaptionWriter"),
        *("TransmissionReference", "City", "State", "Country", "Urgency"),
    ),
}
#: Most bytes of a packet: it has to fit into one segment of a JPEG.
_MOST = 60_000
#: Words in the names of XMP properties that tell where a picture was taken.
_PLACE_WORDS = ("GPS", "Location", "City", "Sublocation", "State", "Country")


@dataclass(frozen=True)
class Panorama:
    """What a flat panorama says of its sphere, by the Photo Sphere XMP Metadata.

    Attributes
    ----------
    whole
        Width and height of the whole sphere, pixels of the file.
    shown
        Left, top, width and height of what of it the file shows.
    heading
        Degrees clockwise from north of its middle; None where that is not known.
    pitch, roll
        Degrees by which the camera looked up, and leaned to the right, that a viewer still has to undo.
    start
        Heading from the middle, pitch and field with which a viewer begins, degrees; None leaves it to the viewer.
    """

    whole: tuple[int, int]
    shown: tuple[int, int, int, int]
    heading: float | None = None
    pitch: float = 0.0
    roll: float = 0.0
    start: tuple[float, float, float] | None = None

    @staticmethod
    def of(size: tuple[int, int]) -> Panorama:
        """Of a file that shows all of it."""
        return Panorama(size, (0, 0, *size))

    def sphere_of(self, size: tuple[int, int]) -> tuple[int, int, float, float] | None:
        """Width and height of the whole, and left and top, in pixels of a picture of that size.

        It may have been made smaller since that was told. None where what is told cannot be.
        """
        left, top, width, height = self.shown
        if min(width, height, *self.whole) <= 0:
            return None
        larger = size[0] / width
        fits = abs(size[1] - larger * height) <= 2 and abs(self.whole[0] - 2 * self.whole[1]) <= 2
        inside = left >= 0 and top >= 0 and left + width <= self.whole[0] and top + height <= self.whole[1]
        if not (fits and inside):
            return None
        return round(self.whole[0] * larger), round(self.whole[1] * larger), left * larger, top * larger

    @property
    def complete(self) -> bool:
        return self.shown == (0, 0, *self.whole)


@dataclass(frozen=True)
class Metadata:
    """What a file says of itself.

    Attributes
    ----------
    title, caption, creator, credit, copyright, terms
        Text, empty where nothing is said; terms are those of use.
    contact
        How the creator is reached: an address of a mailbox, of a page, or of a house.
    keywords, alterations
        In order.
    source_type
        A value of the IPTC's vocabulary "Digital Source Type".
    located
        Whether it says where it was taken.
    panorama
        What of a sphere it shows; None for other pictures.
    """

    title: str = ""
    caption: str = ""
    creator: str = ""
    credit: str = ""
    copyright: str = ""
    keywords: tuple[str, ...] = ()
    alterations: tuple[str, ...] = ()
    source_type: str = ""
    located: bool = False
    panorama: Panorama | None = None
    terms: str = ""
    contact: str = ""

    def has(self, field: str) -> bool:
        return bool(getattr(self, field))


def read_metadata(data: bytes) -> Metadata:
    """What a file says of itself: XMP first, then IPTC-IIM, then EXIF. Nothing is decoded; damage counts as silence."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            image = open_picture(data)
            exif = image.getexif()
            packet = packet_of(image)
            older = _from_iim(IptcImagePlugin.getiptcinfo(image) or {})
            located = bool(exif.get_ifd(PLACE))
    except Exception:
        return Metadata()
    said = _from_xmp(packet)

    def first(*options: str) -> str:
        return next((text for text in options if text), "")

    return Metadata(
        title=first(said.title, older.title),
        caption=first(said.caption, older.caption, _text(exif.get(_DESCRIPTION))),
        creator=first(said.creator, older.creator, _text(exif.get(_ARTIST))),
        credit=first(said.credit, older.credit),
        copyright=first(said.copyright, older.copyright, _rights(exif.get(_COPYRIGHT))),
        terms=said.terms,
        contact=said.contact,
        keywords=said.keywords or older.keywords,
        alterations=said.alterations,
        source_type=said.source_type,
        located=located or said.located,
        panorama=said.panorama,
    )


def packet_of(image: Image.Image) -> bytes:
    """The XMP packet of a picture that Pillow opened."""
    packet = image.info.get("xmp") or image.info.get("XML:com.adobe.xmp") or b""
    return packet if isinstance(packet, bytes) else str(packet).encode()


def xmp_packet(said: Metadata, original: bytes = b"", *, place: bool = False) -> bytes:
    """An XMP packet that says it; empty where there is nothing to say.

    What else an `original` packet says of the photo is kept, and where it was taken if `place` may be told.
    """
    packet = _packet(said, original, place)
    return packet if len(packet) <= _MOST else _packet(said, b"", place)


def _packet(said: Metadata, original: bytes, place: bool) -> bytes:
    root = ElementTree.Element(f"{{{_X}}}xmpmeta")
    about = ElementTree.SubElement(
        ElementTree.SubElement(root, f"{{{_RDF}}}RDF"), f"{{{_RDF}}}Description", {f"{{{_RDF}}}about": ""}
    )

    def listed(name: str, kind: str, texts: tuple[str, ...], language: str | None = None) -> None:
        texts = tuple(text for text in texts if text)
        if texts:
            items = ElementTree.SubElement(ElementTree.SubElement(about, name), f"{{{_RDF}}}{kind}")
            for text in texts:
                item = ElementTree.SubElement(items, f"{{{_RDF}}}li", {_LANGUAGE: language} if language else {})
                item.text = _writable(text)

    def plain(name: str, text: str) -> None:
        if text:
            ElementTree.SubElement(about, name).text = _writable(text)

    listed(f"{{{_DC}}}title", "Alt", (said.title,), "x-default")
    listed(f"{{{_DC}}}description", "Alt", (said.caption,), "x-default")
    listed(f"{{{_DC}}}rights", "Alt", (said.copyright,), "x-default")
    listed(f"{{{_RIGHTS}}}UsageTerms", "Alt", (said.terms,), "x-default")
    listed(f"{{{_DC}}}creator", "Seq", (said.creator,))
    listed(f"{{{_DC}}}subject", "Bag", said.keywords)
    plain(f"{{{_CREDIT}}}Credit", said.credit)
    plain(f"{{{_IPTC}}}DigitalSourceType", said.source_type)
    if said.contact:
        info = ElementTree.SubElement(about, _CONTACT, {f"{{{_RDF}}}parseType": "Resource"})
        ElementTree.SubElement(info, f"{{{_CORE}}}{_way_to_reach(said.contact)}").text = _writable(said.contact)
    if said.alterations:
        events = ElementTree.SubElement(ElementTree.SubElement(about, f"{{{_HISTORY}}}History"), f"{{{_RDF}}}Seq")
        for text in said.alterations:
            event = ElementTree.SubElement(events, f"{{{_RDF}}}li", {f"{{{_RDF}}}parseType": "Resource"})
            ElementTree.SubElement(event, f"{{{_EVENT}}}action").text = "edited"
            ElementTree.SubElement(event, f"{{{_EVENT}}}parameters").text = _writable(text)
    for name, value in _told_of(said.panorama).items():
        plain(f"{{{_SPHERE}}}{name}", value)
    ours = {element.tag for element in about}
    about.extend(element for element in _kept(original, place) if element.tag not in ours)
    if not len(about):
        return b""
    body: bytes = ElementTree.tostring(_prefixed(root), encoding="utf-8")
    return b'<?xpacket begin="\xef\xbb\xbf" id="W5M0MpCehiHzreSzNTczkc9d"?>' + body + b'<?xpacket end="w"?>'


def _way_to_reach(contact: str) -> str:
    """The part of the IPTC's Creator's Contact Info that an address belongs to."""
    if re.fullmatch(r"[^@\s]+@[^@\s]+", contact):
        return "CiEmailWork"
    return "CiUrlWork" if re.match(r"https?://|www\.", contact) else "CiAdrExtadr"


def _prefixed(root: ElementTree.Element) -> ElementTree.Element:
    """The same tree with the usual prefixes in its names, which the root says: ElementTree keeps those it knows for the
    whole process, and makes up others."""
    used: dict[str, str] = {}

    def short(name: str) -> str:
        space, brace, own = name.lstrip("{").partition("}")
        if not brace:
            return name
        if space == "http://www.w3.org/XML/1998/namespace":
            return f"xml:{own}"
        prefix = next((known for known, of in _PREFIXES.items() if of == space), None)
        return f"{used.setdefault(space, prefix or f'ns{len(used)}')}:{own}"

    def copied(element: ElementTree.Element) -> ElementTree.Element:
        made = ElementTree.Element(short(element.tag), {short(name): text for name, text in element.items()})
        made.text, made.tail = element.text, element.tail
        made.extend(copied(child) for child in element)
        return made

    made = copied(root)
    for space, prefix in used.items():
        made.set(f"xmlns:{prefix}", space)
    return made


def exif_saying(exif: bytes, said: Metadata, *, place: bool) -> bytes:
    """An EXIF block that says it too; without the place where `place` is not to be told."""
    block = loaded(exif)
    for tag, text in ((_DESCRIPTION, said.caption), (_ARTIST, said.creator), (_COPYRIGHT, said.copyright)):
        if text:
            block[tag] = text.encode()
    if not place and PLACE in block:
        del block[PLACE]
    return written(block)


def _parsed(packet: bytes) -> ElementTree.Element | None:
    start, end = packet.find(b"<x:xmpmeta"), packet.rfind(b"</x:xmpmeta>")
    if start < 0 or end < 0 or b"<!" in packet:  # no declarations: they could make a small packet grow without end
        return None
    try:
        return ElementTree.fromstring(packet[start : end + len(b"</x:xmpmeta>")])
    except ElementTree.ParseError:
        return None


def _kept(packet: bytes, place: bool) -> Iterator[ElementTree.Element]:
    """Properties of an original's packet that stay, each once."""
    root = _parsed(packet)
    found: dict[str, ElementTree.Element] = {}
    for one in () if root is None else root.iter(f"{{{_RDF}}}Description"):
        for name, text in one.items():
            short = ElementTree.Element(name)
            short.text = text
            found.setdefault(name, short)
        for child in one:
            found.setdefault(child.tag, child)
    for name, element in found.items():
        space, _, word = name.lstrip("{").partition("}")
        named = _KEPT.get(space, ())
        if (named is None or word in named) and (place or not _tells_place(word)):
            yield element


def _tells_place(name: str) -> bool:
    return any(word in name for word in _PLACE_WORDS)


def _from_xmp(packet: bytes) -> Metadata:
    root = _parsed(packet)
    if root is None:
        return Metadata()
    about = list(root.iter(f"{{{_RDF}}}Description"))

    def texts(name: str) -> Iterator[str]:
        for one in about:
            if one.get(name):
                yield str(one.get(name)).strip()
            for element in one.findall(name):
                items = list(element.iter(f"{{{_RDF}}}li"))
                for item in items or [element]:
                    if item.text and item.text.strip():
                        yield item.text.strip()

    def text(name: str) -> str:
        return next(texts(name), "")

    events = [
        found
        for one in root.iter(f"{{{_RDF}}}li")
        for found in (one.findtext(f"{{{_EVENT}}}parameters"), one.get(f"{{{_EVENT}}}parameters"))
        if found
    ]
    names = [name for one in about for name in (*one.keys(), *(child.tag for child in one))]
    return Metadata(
        title=text(f"{{{_DC}}}title"),
        caption=text(f"{{{_DC}}}description"),
        creator=", ".join(texts(f"{{{_DC}}}creator")),
        credit=text(f"{{{_CREDIT}}}Credit"),
        copyright=text(f"{{{_DC}}}rights"),
        terms=text(f"{{{_RIGHTS}}}UsageTerms"),
        contact=_contact(about),
        keywords=tuple(texts(f"{{{_DC}}}subject")),
        alterations=tuple(events),
        source_type=text(f"{{{_IPTC}}}DigitalSourceType"),
        located=any(_tells_place(name.rsplit("}", 1)[-1]) for name in names),
        panorama=_panorama(lambda name: text(f"{{{_SPHERE}}}{name}")),
    )


def _told_of(panorama: Panorama | None) -> dict[str, str]:
    """The properties of the Photo Sphere XMP Metadata that say it. Headings there count from north: where that is not
    known, the picture's middle stands for it, as viewers take it."""
    if panorama is None:
        return {}
    left, top, width, height = panorama.shown
    told: dict[str, float] = {
        "FullPanoWidthPixels": panorama.whole[0],
        "FullPanoHeightPixels": panorama.whole[1],
        "CroppedAreaImageWidthPixels": width,
        "CroppedAreaImageHeightPixels": height,
        "CroppedAreaLeftPixels": left,
        "CroppedAreaTopPixels": top,
    }
    if panorama.heading is not None:
        told["PoseHeadingDegrees"] = round(panorama.heading % 360, 3)
    if panorama.pitch or panorama.roll:
        told |= {"PosePitchDegrees": round(panorama.pitch, 3), "PoseRollDegrees": round(panorama.roll, 3)}
    if panorama.start is not None:
        heading, pitch, field = panorama.start
        told["InitialViewHeadingDegrees"] = round(heading + (panorama.heading or 0)) % 360
        told["InitialViewPitchDegrees"] = round(pitch)
        told["InitialHorizontalFOVDegrees"] = round(field, 1)
    return {"ProjectionType": "equirectangular"} | {name: str(value) for name, value in told.items()}


def _panorama(told: Callable[[str], str]) -> Panorama | None:
    """What a packet tells of a sphere; None where it tells of none, or not enough."""

    def number(name: str) -> float | None:
        try:
            value = float(told(name))
        except ValueError:
            return None
        return value if math.isfinite(value) and abs(value) < 1e6 else None

    width, height = number("FullPanoWidthPixels"), number("FullPanoHeightPixels")
    if told("ProjectionType") != "equirectangular" or not width or not height:
        return None
    left, top = number("CroppedAreaLeftPixels") or 0, number("CroppedAreaTopPixels") or 0
    across = number("CroppedAreaImageWidthPixels") or width
    down = number("CroppedAreaImageHeightPixels") or height
    heading = number("PoseHeadingDegrees")
    first, field = number("InitialViewHeadingDegrees"), number("InitialHorizontalFOVDegrees")
    start = None
    if first is not None or field is not None:
        ahead = ((first or 0) - (heading or 0) + 180) % 360 - 180
        start = (ahead, number("InitialViewPitchDegrees") or 0.0, field or 90.0)
    return Panorama(
        (int(width), int(height)),
        (int(left), int(top), int(across), int(down)),
        heading,
        number("PosePitchDegrees") or 0.0,
        number("PoseRollDegrees") or 0.0,
        start,
    )


def panorama_in(packet: bytes) -> Panorama | None:
    """What an XMP packet tells of a sphere."""
    return _from_xmp(packet).panorama


def _contact(about: list[ElementTree.Element]) -> str:
    """The first way to reach the creator, whichever form the structure is written in."""
    for one in about:
        for info in one.findall(_CONTACT):
            for part in info.iter():
                for name in ("CiEmailWork", "CiUrlWork", "CiAdrExtadr"):
                    told = part.get(f"{{{_CORE}}}{name}") or part.findtext(f"{{{_CORE}}}{name}")
                    if told and told.strip():
                        return told.strip()
    return ""


def _from_iim(found: dict[tuple[int, int], bytes | list[bytes]]) -> Metadata:
    """IPTC-IIM 4.2, record 2: title 5, keywords 25, creator 80, credit 110, copyright 116, caption 120."""

    def every(number: int) -> tuple[str, ...]:
        value = found.get((2, number), [])
        return tuple(_text(one) for one in (value if isinstance(value, list) else [value]))

    def one(number: int) -> str:
        return ", ".join(every(number))

    return Metadata(
        title=one(5), caption=one(120), creator=one(80), credit=one(110), copyright=one(116), keywords=every(25)
    )


def _text(value: object) -> str:
    """A text of EXIF or IIM."""
    return _writable(text_of(value)).strip()


def _rights(value: object) -> str:
    """EXIF's copyright: the photographer's and the editor's, with a NUL between them (CIPA DC-008)."""
    return ", ".join(filter(None, (_writable(one).strip() for one in texts_of(value))))


def _writable(text: str) -> str:
    """Without characters that XML 1.0 has no place for."""
    return "".join(
        c
        for c in text
        if c in "\t\n\r" or ((ord(c) >= 0x20 and not 0xD800 <= ord(c) <= 0xDFFF and ord(c) < 0xFFFE) or ord(c) > 0xFFFF)
    )
