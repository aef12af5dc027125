"""Today and Trends: what is worth a look; series, suites over days, trust."""

from __future__ import annotations

from typing import Any, get_args

from saltpath.core.trends.today import KINDS, What
from saltpath.server.shapes.parts import (
    FLAG,
    MAYBE_NUMBER,
    MAYBE_TEXT,
    NUMBER,
    TEXT,
    TEXTS,
    VERDICT,
    WHOLE,
    WHOLES,
    maybe,
    ref,
    several,
    shape,
)

ABOUT: Any = {
    "kind": {"type": "string", "enum": list(KINDS)},
    "what": {"type": "string", "enum": list(get_args(What))},
    "id": TEXT,
    "name": TEXT,
    "verdict": VERDICT,
}
LINE = {"type": "array", "items": {**WHOLES, "minItems": 5, "maxItems": 5}}
DAYS = {"type": "array", "items": {**WHOLES, "minItems": 4, "maxItems": 4}}
KIND = {"type": "string", "enum": ["case", "step", "shared", "operation", "host", "watch"]}
PERIOD: Any = {"environment": TEXT, "from": TEXT, "to": TEXT}
FOLLOWED: Any = {
    "id": TEXT,
    "kind": KIND,
    "name": TEXT,
    "owner": maybe("SeriesOwner"),
    "usual": maybe("UsualTimes"),
    "line": LINE,
    "cases": WHOLE,
}
TOTALS: Any = {
    **dict.fromkeys(("cases", "checks", "runs", "passed", "failed", "blocked"), WHOLE),
    **dict.fromkeys(("badNow", "knownNow", "uncheckedNow", "broke", "mended"), WHOLE),
    "secondsToMend": MAYBE_NUMBER,
}
SIDE = shape(build=TEXT, runner=TEXT, runs=WHOLE, **PERIOD)
SHAPES: dict[str, Any] = {
    "Today": shape(
        since=TEXT,
        workingDay=TEXT,
        lastHere=MAYBE_TEXT,
        items=several("TodayItem"),
        done=several("DoneLately"),
    ),
    "TodayItem": shape(
        **ABOUT,
        sentence=TEXT,
        at=TEXT,
        run=MAYBE_TEXT,
        line={"type": "array", "items": VERDICT},
        takenBy=TEXT,
        trouble=MAYBE_TEXT,
        others=several("TodayOther"),
        more=WHOLE,
    ),
    "TodayOther": shape(**ABOUT),
    "DoneLately": shape(
        at=TEXT,
        who=TEXT,
        did={"type": "string", "enum": ["ran", "edited"]},
        name=TEXT,
        id=TEXT,
        where=TEXT,
    ),
    "TrendPlace": shape(environment=TEXT, runs=FLAG),
    "SeriesOwner": shape(kind={"type": "string", "enum": ["case", "shared"]}, id=TEXT, name=TEXT),
    "UsualTimes": shape(median=MAYBE_NUMBER, p95=MAYBE_NUMBER),
    "Followed": shape(**FOLLOWED, moved=maybe("Shifted"), **{"with": WHOLE}),
    "Shifted": shape(
        at=TEXT,
        found=TEXT,
        before=NUMBER,
        after=NUMBER,
        ratio=NUMBER,
        by=TEXT,
        runs=WHOLE,
        run=MAYBE_TEXT,
        build=TEXT,
    ),
    "Moved": shape(
        **PERIOD,
        **dict.fromkeys(("parts", "slower", "quicker", "steps"), WHOLE),
        items=several("Followed"),
    ),
    "Series": shape(
        **FOLLOWED,
        **PERIOD,
        parts=WHOLE,
        runs=WHOLE,
        shifts=several("Shifted"),
        phases=maybe("SeriesPhases"),
        phasesBefore=maybe("SeriesPhases"),
        builds=several("NewBuild"),
        edits=several("EditedCase"),
    ),
    "SeriesPhases": shape(connecting=NUMBER, waiting=NUMBER, receiving=NUMBER),
    "NewBuild": shape(at=TEXT, build=TEXT, run=TEXT),
    "EditedCase": shape(at=TEXT, run=TEXT),
    "SuitesOverTime": shape(
        **PERIOD, days=TEXTS, items=several("SuiteOverTime"), all=ref("SuiteTotals")
    ),
    "SuiteTotals": shape(**TOTALS),
    "SuiteOverTime": shape(
        id=TEXT, name=TEXT, days=DAYS, allCases=WHOLE, badSince=MAYBE_TEXT, **TOTALS
    ),
    "Cycle": shape(
        run=MAYBE_TEXT,
        number=MAYBE_NUMBER,
        build=TEXT,
        runner=TEXT,
        at=TEXT,
        share=NUMBER,
        **dict.fromkeys(("cases", "passed", "failed", "blocked", "unchecked"), WHOLE),
    ),
    "Trust": shape(
        environment=TEXT,
        items=several("CaseTrust"),
        unreliable=WHOLE,
        hiccups=WHOLE,
        never=several("NeverFailed"),
    ),
    "CaseTrust": shape(
        id=TEXT,
        name=TEXT,
        judgement={"type": "string", "enum": ["unreliable", "episode", "too few"]},
        **dict.fromkeys(("runs", "bad", "spells", "flips", "looked"), WHOLE),
        low=NUMBER,
        high=NUMBER,
        since=MAYBE_TEXT,
        line={"type": "array", "items": VERDICT},
        causes=several("TrustCause"),
        goesWith=several("GoesWith"),
        proposal=TEXT,
        lastBad=maybe("BadRun"),
    ),
    "TrustCause": shape(sentence=TEXT, step=TEXT, times=WHOLE),
    "GoesWith": shape(
        kind={"type": "string", "enum": ["hour", "weekday", "runner", "beside", "row"]},
        value=TEXT,
        **dict.fromkeys(("bad", "ofBad", "good", "ofGood"), WHOLE),
    ),
    "BadRun": shape(run=TEXT, number=WHOLE, position=WHOLE, at=TEXT),
    "Noticing": shape(
        case=TEXT, name=TEXT, changes=WHOLE, noticed=WHOLE, steps=several("NoticingStep")
    ),
    "NoticingStep": shape(
        step=TEXT,
        name=TEXT,
        changes=WHOLE,
        noticed=WHOLE,
        unnoticed=several("Unnoticed"),
        deaf=TEXTS,
    ),
    "CheckRecord": shape(step=TEXT, name=TEXT, check=TEXT, runs=WHOLE, failed=WHOLE),
    "Unnoticed": shape(where=TEXT, became=TEXT),
    "NeverFailed": shape(id=TEXT, name=TEXT, runs=WHOLE),
    "Spent": shape(
        environment=TEXT,
        us=WHOLE,
        steps=WHOLE,
        slowest=several("SpentOn"),
        waits=several("SpentOn"),
        largest=several("SpentOn"),
        sideBySide=maybe("SideBySide"),
    ),
    "SpentOn": shape(
        id=TEXT,
        name=TEXT,
        owner=maybe("SeriesOwner"),
        number=WHOLE,
        size=WHOLE,
        waiting=MAYBE_NUMBER,
        **dict.fromkeys(("share", "ms", "median", "p95"), NUMBER),
    ),
    "SideBySide": shape(
        run=MAYBE_TEXT, at=TEXT, cases=WHOLE, longest=NUMBER, ways=several("JobsAtOnce")
    ),
    "JobsAtOnce": shape(jobs=WHOLE, ms=NUMBER),
    "ComparedTimes": shape(
        before=SIDE, after=SIDE, times=several("ComparedSeries"), cases=several("ComparedShare")
    ),
    "ComparedSeries": shape(
        id=TEXT,
        kind=KIND,
        name=TEXT,
        owner=maybe("SeriesOwner"),
        runs=WHOLES,
        before=NUMBER,
        after=NUMBER,
        ratio=MAYBE_NUMBER,
        low=MAYBE_NUMBER,
        high=MAYBE_NUMBER,
        clear=FLAG,
    ),
    "ComparedShare": shape(
        id=TEXT,
        name=TEXT,
        runs=WHOLES,
        passed=WHOLES,
        clear=FLAG,
        **dict.fromkeys(("difference", "low", "high"), NUMBER),
    ),
}
