"""What a file says of itself as XMP (ISO 16684-1): title, creator, rights and contact by IPTC Core, and its sheet."""

import base64
import re
import zlib
from dataclasses import dataclass
from pathlib import Path
from xml.etree import ElementTree as ET

import pyvips

from retouch.files.jpegxl import is_jpegxl, xmp_in
from retouch.types import PictureError

# Names of the schemas, to the letter as ISO 16684-1 and the IPTC have them: a reader knows them by nothing else.
RDF = "http://www.w3.org/1999/02/22-rdf-syntax-ns#"
DC, XMP = "http://purl.org/dc/elements/1.1/", "http://ns.adobe.com/xap/1.0/"
RIGHTS, IPTC = "http://ns.adobe.com/xap/1.0/rights/", "http://iptc.org/std/Iptc4xmpCore/1.0/xmlns/"
OURS = "https://needlepoint.example/xmp/1.0/"
PREFIXES = {"rdf": RDF, "dc": DC, "xmp": XMP, "xmpRights": RIGHTS, "Iptc4xmpCore": IPTC, "needlepoint": OURS,
            "x": "adobe:ns:meta/"}  # fmt: skip
SHEET = re.compile(rb"<needlepoint:Sheet>([A-Za-z0-9+/=\s]+)</needlepoint:Sheet>")
MOST_SHEET = 32 << 20
BEGIN = '<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>\n'
END = '\n<?xpacket end="r"?>'


@dataclass(frozen=True)
class Credits:
    """Who made a picture, what it is called, whose it is, and how they are reached; empty: not said."""

    title: str = ""
    creator: str = ""
    rights: str = ""
    email: str = ""
    web: str = ""


def packet(credit: Credits, sheet: str = "") -> bytes:
    """An XMP packet; ``sheet``: the JSON of the sheet that lies in it, empty for none. Nothing to say: no bytes.

    Source of the fields: IPTC Photo Metadata Standard 2023.1, Core.
    """
    if credit == Credits() and not sheet:
        return b""
    for prefix, name in PREFIXES.items():
        ET.register_namespace(prefix, name)
    root = ET.Element(f"{{{PREFIXES['x']}}}xmpmeta")
    about = ET.SubElement(ET.SubElement(root, f"{{{RDF}}}RDF"), f"{{{RDF}}}Description", {f"{{{RDF}}}about": ""})

    def listed(space: str, name: str, kind: str, text: str) -> None:
        inside = ET.SubElement(ET.SubElement(about, f"{{{space}}}{name}"), f"{{{RDF}}}{kind}")
        item = ET.SubElement(inside, f"{{{RDF}}}li")
        item.text = text
        if kind == "Alt":
            item.set("{http://www.w3.org/XML/1998/namespace}lang", "x-default")

    ET.SubElement(about, f"{{{XMP}}}CreatorTool").text = "Needlepoint"
    if credit.title:
        listed(DC, "title", "Alt", credit.title)
    if credit.creator:
        listed(DC, "creator", "Seq", credit.creator)
    if credit.rights:
        listed(DC, "rights", "Alt", credit.rights)
        ET.SubElement(about, f"{{{RIGHTS}}}Marked").text = "True"
    if credit.email or credit.web:
        contact = ET.SubElement(about, f"{{{IPTC}}}CreatorContactInfo", {f"{{{RDF}}}parseType": "Resource"})
        for name, text in (("CiEmailWork", credit.email), ("CiUrlWork", credit.web)):
            if text:
                ET.SubElement(contact, f"{{{IPTC}}}{name}").text = text
    if sheet:
        ET.SubElement(about, f"{{{OURS}}}Sheet").text = base64.b64encode(zlib.compress(sheet.encode(), 9)).decode()
    return f"{BEGIN}{ET.tostring(root, encoding='unicode')}{END}".encode()


def sheet_in(path: Path) -> bytes:
    """The sheet, as JSON, that lies in a finished file.

    Raises
    ------
    PictureError
        If the file is no picture, or there is no sheet in it.
    """
    told = _packet_in(path)
    # Only what was written by us is looked for: nothing of a stranger's XML is taken apart.
    found = SHEET.search(told)
    try:
        if found is None:
            raise ValueError("none")
        reading = zlib.decompressobj()
        return reading.decompress(base64.b64decode(found[1], validate=False), MOST_SHEET)
    except (ValueError, zlib.error) as error:
        raise PictureError(f"There is no sheet of Needlepoint in {path.name}.") from error


def _packet_in(path: Path) -> bytes:
    with path.open("rb") as file:
        if is_jpegxl(file.read(12)):
            return xmp_in(path.read_bytes())
    try:
        image = pyvips.Image.new_from_file(str(path), access="sequential")
        return bytes(image.get("xmp-data")) if image.get_typeof("xmp-data") else b""
    except pyvips.Error as error:
        raise PictureError(f"{path.name} is not a picture that can be read.") from error
