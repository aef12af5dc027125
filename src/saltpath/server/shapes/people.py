"""People, keys, links, and what was done."""

from __future__ import annotations

from typing import Any

from saltpath.server.shapes.parts import (
    FLAG,
    MAYBE_TEXT,
    TEXT,
    TEXTS,
    WHOLE,
    maybe,
    ref,
    several,
    shape,
)
from saltpath.store.people import ROLES

PROJECT_ROLE: dict[str, Any] = {"type": "string", "enum": list(ROLES)}
SHAPES: dict[str, Any] = {
    "Person": shape(id=TEXT, name=TEXT, initials=TEXT),
    "Me": shape(
        id=TEXT,
        name=TEXT,
        initials=TEXT,
        signIn=TEXT,
        administrator=FLAG,
        way={"type": "string", "enum": ["session", "key", "alone"]},
        hasPassword=FLAG,
        secondFactor=FLAG,
        codesLeft=WHOLE,
        mayWorkAlone=FLAG,
    ),
    "Entry": shape(provider=TEXT, owned=FLAG, me=maybe("Me")),
    "Entered": shape(person=ref("Person")),
    "LinkSeen": shape(
        kind={"type": "string", "enum": ["own", "enter", "join", "password"]},
        name=TEXT,
        signIn=TEXT,
        project=TEXT,
        role=TEXT,
        administrator=FLAG,
        by=TEXT,
        endsAt=TEXT,
        me=maybe("Person"),
        mayWorkAlone=FLAG,
    ),
    "Session": shape(
        id=TEXT, madeAt=TEXT, seenAt=TEXT, endsAt=TEXT, place=TEXT, agent=TEXT, way=TEXT, here=FLAG
    ),
    "Ended": shape(ended=WHOLE),
    "SecondFactorToSet": shape(secret=TEXT, address=TEXT, picture=TEXTS),
    "SecondFactorRule": shape(administrators={"type": ["boolean", "null"]}, shared=FLAG),
    "RecoveryCodes": shape(codes=TEXTS),
    "Member": shape(id=TEXT, name=TEXT, initials=TEXT, role=PROJECT_ROLE, since=TEXT, you=FLAG),
    "Invited": shape(id=TEXT, name=TEXT, role=TEXT, administrator=FLAG, by=TEXT, endsAt=TEXT),
    "NewLink": shape(id=TEXT, name=TEXT, address=TEXT, endsAt=TEXT),
    "Account": shape(
        id=TEXT,
        name=TEXT,
        initials=TEXT,
        signIn=TEXT,
        administrator=FLAG,
        ended=FLAG,
        secondFactor=FLAG,
        sessions=WHOLE,
        seenAt=MAYBE_TEXT,
        parts=several("PartOf"),
        you=FLAG,
    ),
    "PartOf": shape(project=TEXT, name=TEXT, role=PROJECT_ROLE),
    "Key": shape(
        id=TEXT,
        name=TEXT,
        begins=TEXT,
        scopes=TEXTS,
        project=MAYBE_TEXT,
        projectName=TEXT,
        by=TEXT,
        mine=FLAG,
        madeAt=TEXT,
        endsAt=TEXT,
        usedAt=MAYBE_TEXT,
        usedFrom=TEXT,
        ended=FLAG,
    ),
    "NewKeyText": shape(id=TEXT, name=TEXT, text=TEXT),
    "Done": shape(
        id=WHOLE,
        at=TEXT,
        person=TEXT,
        name=TEXT,
        way=TEXT,
        place=TEXT,
        operation=TEXT,
        thing=TEXT,
        about=TEXT,
    ),
    "Reach": shape(
        nearby={"type": ["boolean", "null"]}, shared=FLAG, allow=TEXTS, deny=TEXTS, only=FLAG
    ),
    "Provider": shape(
        issuer=TEXT,
        clientId=TEXT,
        called=TEXT,
        claim=TEXT,
        given=TEXTS,
        newcomers=FLAG,
        hasSecret=FLAG,
        redirect=TEXT,
    ),
    "Share": shape(id=TEXT, by=TEXT, madeAt=TEXT, endsAt=TEXT, used=WHOLE, usedAt=MAYBE_TEXT),
    "Picture": shape(id=TEXT, suite=MAYBE_TEXT, environment=TEXT, by=TEXT, madeAt=TEXT),
    "NewPictureLink": shape(id=TEXT, address=TEXT),
    "NewShareLink": shape(id=TEXT, address=TEXT, endsAt=TEXT),
}
