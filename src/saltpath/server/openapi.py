"""The API's own OpenAPI document. The pages' types are generated from it; a test holds it against
the routes."""

from __future__ import annotations

from typing import Any

from saltpath.server.shapes import SHAPES


def _parameter(
    name: str, about: str, required: bool = False, place: str = "query", kind: str = "string"
) -> dict[str, Any]:
    return {
        "name": name,
        "in": place,
        "required": required,
        "description": about,
        "schema": {"type": kind},
    }


_ID = _parameter("id", "the identity", True, "path")
_PROJECT = _parameter("project", "the project's identity", True)
_DATABASE = _parameter("name", "the database's name", True)
_TABLE = _parameter("name", "the table's name", True)
_WRITTEN_BY = _parameter("run", "which run wrote them; the newest unless it is said")
_SOURCE = _parameter("name", "the source's name", True)
_TEXT = _parameter("text", "false leaves the case's text out")
_LIMIT = _parameter("limit", "how many at most, 1 to 1000", kind="integer")


_ANY = "application/octet-stream"
_SHEET = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
_FORM = _parameter("format", "xlsx or csv")


def _of(shape: str) -> dict[str, Any]:
    return {"$ref": f"#/components/schemas/{shape}"}


def _page(shape: str) -> dict[str, Any]:
    return {
        "type": "object",
        "required": ["items", "next"],
        "properties": {
            "items": {"type": "array", "items": _of(shape)},
            "next": {"type": ["string", "null"]},
        },
    }


def _operation(
    id: str,
    about: str,
    answer: dict[str, Any] | None,
    *parameters: dict[str, Any],
    status: int = 200,
    body: str = "",
    media: str = "application/json",
    upload: str = "",
) -> dict[str, Any]:
    schema = answer if answer is not None else {"type": "string", "format": "binary"}
    operation: dict[str, Any] = {
        "operationId": id,
        "summary": about,
        "parameters": list(parameters),
        "responses": {
            str(status): {"description": "as asked", "content": {media: {"schema": schema}}},
            "default": {
                "description": "a problem",
                "content": {"application/problem+json": {"schema": _of("Problem")}},
            },
        },
    }
    if body:
        operation["requestBody"] = {
            "required": True,
            "content": {"application/json": {"schema": _of(body)}},
        }
    if upload:
        content = {upload: {"schema": {"type": "string", "format": "binary"}}}
        operation["requestBody"] = {"required": True, "content": content}
    return operation


def document() -> dict[str, Any]:
    """OpenAPI 3.1."""
    if_match = _parameter("If-Match", "the version that was changed, in quotes", True, "header")
    idempotency = _parameter("Idempotency-Key", "asks for the same run once", place="header")
    after = _parameter("after", "the last id that was seen; without one, what comes from now on")
    stream = _operation(
        "followEvents", "Events as they happen", None, _PROJECT, after, media="text/event-stream"
    )
    body = _operation(
        "readBody",
        "An exchange's body",
        None,
        _ID,
        _parameter("form", "decoded, received or sent"),
        media="application/octet-stream",
    )
    position = _parameter(
        "position", "the case's place in the run, from 0", True, "path", "integer"
    )
    path = _parameter(
        "path", "the file's path in the project, such as data/papers.pdf", True, "path"
    )
    paths = {
        "/me": {"get": _operation("readMe", "Who asks", _of("Person"))},
        "/health": {"get": _operation("readHealth", "Whether the server works", _of("Health"))},
        "/openapi.json": {"get": _operation("readContract", "This document", {"type": "object"})},
        "/projects": {
            "get": _operation("listProjects", "Projects", _page("Project")),
            "post": _operation(
                "addProject", "A new project", _of("Project"), status=201, body="NewProject"
            ),
        },
        "/projects/folder": {
            "post": _operation(
                "bringInFolder",
                "A project's folder in a zip archive",
                _of("Brought"),
                status=201,
                upload="application/zip",
            )
        },
        "/projects/{id}/folder": {
            "get": _operation(
                "saveFolder",
                "The project as a folder of files, zipped",
                None,
                _ID,
                media="application/zip",
            )
        },
        "/projects/{id}/keeping": {
            "get": _operation("readKeeping", "What is kept for how long", _of("Keeping"), _ID),
            "patch": _operation(
                "changeKeeping", "Change some of it", _of("Keeping"), _ID, body="KeepingChange"
            ),
        },
        "/storage": {
            "get": _operation("readStorage", "How much room is taken, and free", _of("Storage"))
        },
        "/projects/{id}/files": {
            "get": _operation("listFiles", "A project's files", _page("ProjectFile"), _ID)
        },
        "/projects/{id}/files/{path}": {
            "put": _operation(
                "putFile",
                "Keep a file",
                _of("ProjectFile"),
                _ID,
                path,
                upload="application/octet-stream",
            ),
            "delete": _operation("removeFile", "Take a file away", _of("Gone"), _ID, path),
        },
        "/file-versions": {
            "get": _operation(
                "listFileVersions",
                "The versions of a file",
                _page("FileVersion"),
                _PROJECT,
                _parameter("path", "the file's path", True),
            )
        },
        "/sources": {
            "get": _operation("listSources", "Data sources", _page("DataSource"), _PROJECT),
            "post": _operation(
                "addSource", "A new one", _of("DataSource"), status=201, body="NewSource"
            ),
            "patch": _operation(
                "changeSource",
                "What it is, or is called",
                _of("DataSource"),
                _PROJECT,
                _SOURCE,
                body="SourceChange",
            ),
            "delete": _operation("removeSource", "Take it away", _of("Gone"), _PROJECT, _SOURCE),
        },
        "/sources/looked": {
            "post": _operation(
                "lookAtSource", "How its rows would look", _of("LookedAt"), body="SourceToLookAt"
            )
        },
        "/sources/profile": {
            "post": _operation(
                "profileSource",
                "What all of its rows hold",
                _of("SourceProfile"),
                body="SourceToLookAt",
            )
        },
        "/sources/changes": {
            "post": _operation(
                "compareVersions",
                "What a new version of its file changed",
                _of("SourceChanges"),
                body="VersionsToCompare",
            )
        },
        "/databases": {
            "get": _operation(
                "listDatabases", "Databases that look-ups ask", _page("Database"), _PROJECT
            ),
            "put": _operation(
                "putDatabase",
                "Where one stands",
                _of("Database"),
                _PROJECT,
                _DATABASE,
                body="DatabaseDocument",
            ),
            "delete": _operation(
                "removeDatabase", "Take one away", _of("Gone"), _PROJECT, _DATABASE
            ),
        },
        "/databases/looks": {
            "post": _operation(
                "lookIntoDatabase",
                "Ask a runner for tables, or for first rows",
                _of("Look"),
                status=201,
                body="NewLook",
            )
        },
        "/output-tables": {
            "get": _operation(
                "listOutputTables", "Tables that runs have written", _page("OutputTable"), _PROJECT
            )
        },
        "/output-tables/rows": {
            "get": _operation(
                "listOutputRows",
                "Rows of one",
                _of("OutputRows"),
                _PROJECT,
                _TABLE,
                _WRITTEN_BY,
                _LIMIT,
                _parameter("offset", "how many are left out before", kind="integer"),
            )
        },
        "/output-tables/file": {
            "get": _operation(
                "saveOutputTable",
                "One as a workbook or CSV",
                None,
                _PROJECT,
                _TABLE,
                _WRITTEN_BY,
                _FORM,
                media=_SHEET,
            )
        },
        "/output-tables/into": {
            "post": _operation(
                "putIntoWorkbook",
                "One into a workbook of one's own",
                None,
                _PROJECT,
                _TABLE,
                _WRITTEN_BY,
                _parameter("sheet", "which of its sheets", True),
                _parameter("cell", "where the headings begin, such as B4"),
                media=_SHEET,
                upload=_ANY,
            )
        },
        "/environments": {
            "get": _operation("listEnvironments", "Environments", _page("Environment"), _PROJECT),
            "post": _operation(
                "addEnvironment",
                "A new environment",
                _of("Environment"),
                status=201,
                body="NewEnvironment",
            ),
        },
        "/environments/{id}": {
            "patch": _operation(
                "changeEnvironment",
                "Rename, guard or describe it",
                _of("Environment"),
                _ID,
                body="EnvironmentChange",
            ),
            "delete": _operation("removeEnvironment", "Take it away", _of("Gone"), _ID),
        },
        "/values": {
            "get": _operation(
                "listValues", "Values as they read in each environment", _page("ValueRow"), _PROJECT
            ),
            "post": _operation(
                "changeValues", "Change cells in one act", _of("ChangedValues"), body="ValueChanges"
            ),
        },
        "/shared-steps": {
            "get": _operation(
                "listSharedSteps", "Shared steps and who uses them", _page("SharedSteps"), _PROJECT
            ),
            "post": _operation(
                "addSharedSteps", "New ones", _of("Case"), status=201, body="NewSharedSteps"
            ),
        },
        "/shared-steps/{id}/alike": {
            "get": _operation(
                "listAlike", "Cases that have them written out", _page("NamedCase"), _ID
            ),
            "post": _operation("useThere", "Use them in these cases", _of("UsedThere"), _ID),
        },
        "/shared-steps/{id}": {
            "delete": _operation(
                "removeSharedSteps", "Take away what nobody uses", _of("Gone"), _ID
            )
        },
        "/cases/{id}/shared-steps": {
            "post": _operation(
                "extractSteps",
                "Steps of a case as shared steps",
                _of("Extracted"),
                _ID,
                status=201,
                body="ToShare",
            )
        },
        "/value-names": {
            "post": _operation(
                "renameValue",
                "Call a value otherwise, everywhere",
                _of("Renamed"),
                body="NewValueName",
            )
        },
        "/lifts": {
            "get": _operation(
                "listLiftOffers",
                "What stands written out in several steps",
                _page("LiftOffer"),
                _PROJECT,
            ),
            "post": _operation(
                "lift", "Make a value of what stands written out", _of("Lifted"), body="Lift"
            ),
        },
        "/suites": {
            "get": _operation("listSuites", "Suites with their cases", _page("Suite"), _PROJECT),
            "post": _operation(
                "addSuite", "A new suite", _of("Suite"), status=201, body="NewSuite"
            ),
        },
        "/suites/{id}": {
            "patch": _operation(
                "changeSuite", "Rename or move a suite", _of("Suite"), _ID, body="SuiteChange"
            ),
            "delete": _operation("removeSuite", "Take an empty suite away", _of("Gone"), _ID),
        },
        "/suites/{id}/every-answer": {
            "put": _operation(
                "setSuiteChecks",
                "A suite's checks on every answer",
                _of("EveryAnswer"),
                _ID,
                if_match,
                body="EveryAnswerChange",
            )
        },
        "/projects/{id}/every-answer": {
            "put": _operation(
                "setProjectChecks",
                "A project's checks on every answer",
                _of("EveryAnswer"),
                _ID,
                if_match,
                body="EveryAnswerChange",
            )
        },
        "/suites/{id}/sign-in": {
            "put": _operation(
                "setSuiteSignIn",
                "How a suite's steps sign in",
                _of("SignIn"),
                _ID,
                if_match,
                body="SignInChange",
            )
        },
        "/projects/{id}/sign-in": {
            "put": _operation(
                "setProjectSignIn",
                "How a project's steps sign in",
                _of("SignIn"),
                _ID,
                if_match,
                body="SignInChange",
            )
        },
        "/texts": {
            "post": _operation(
                "readText", "What a case's text reads as", _of("ReadText"), body="TextToRead"
            )
        },
        "/pasted": {
            "post": _operation(
                "readPasted", "A curl line or raw HTTP as steps", _of("Pasted"), body="TextToRead"
            )
        },
        "/recordings": {
            "post": _operation(
                "readRecording",
                "A browser's recording (HAR) as steps",
                _of("Recording"),
                _PROJECT,
                _parameter("site", "the API's, of the recording's sites"),
                body="HarFile",
            )
        },
        "/single-requests": {
            "get": _operation(
                "listSingleRequests",
                "Requests that belong to no case",
                _page("SingleRequest"),
                _PROJECT,
                _LIMIT,
            ),
            "post": _operation(
                "addSingleRequest", "A new one", _of("Case"), status=201, body="NewSingleRequest"
            ),
        },
        "/single-requests/{id}/sent": {
            "get": _operation("listSendings", "What it sent before", _page("Sending"), _ID)
        },
        "/single-requests/{id}/place": {
            "post": _operation(
                "placeSingleRequest",
                "Make it a step of a case",
                _of("PlacedRequest"),
                _ID,
                body="PlaceForRequest",
            )
        },
        "/workbooks": {
            "post": _operation(
                "readWorkbook",
                "A workbook or CSV file as tables",
                _of("ReadWorkbook"),
                _PROJECT,
                upload=_ANY,
            )
        },
        "/cases/{id}/workbook": {
            "get": _operation(
                "readCaseWorkbook", "The case as a workbook", None, _ID, _FORM, media=_SHEET
            )
        },
        "/suites/{id}/workbook": {
            "get": _operation(
                "readSuiteWorkbook", "The suite as a workbook", None, _ID, _FORM, media=_SHEET
            ),
            "put": _operation(
                "keepWorkbook",
                "Keep the team's own",
                _of("KeptWorkbook"),
                _ID,
                _parameter("name", "the file's", True),
                _parameter("sheet", "which of its sheets"),
                _parameter("headings", "their row, from 0", kind="integer"),
                _parameter("columns", "what each column is, a JSON list", True),
                _parameter("otherwise", "the case of rows that name none"),
                upload=_ANY,
            ),
        },
        "/suites/{id}/workbook/kept": {
            "get": _operation("readKeptWorkbook", "The team's own", _of("KeptWorkbook"), _ID)
        },
        "/suites/{id}/workbook/verdicts": {
            "get": _operation(
                "readWorkbookVerdicts", "The team's own with verdicts", None, _ID, media=_SHEET
            )
        },
        "/suites/{id}/rows": {
            "get": _operation("listRows", "The suite as rows", _page("StoredRow"), _ID),
            "post": _operation(
                "takeRows", "Rows onto the suite's cases", _of("TakenRows"), _ID, body="TableRows"
            ),
        },
        "/cases/{id}/rows": {
            "get": _operation("listCaseRows", "The case as rows", _page("StoredRow"), _ID)
        },
        "/cases/{id}/requests": {
            "post": _operation(
                "readRequestCells",
                "A request by its cells",
                _of("ReadRequest"),
                _ID,
                body="RequestCells",
            )
        },
        "/cases/{id}/coverage": {
            "get": _operation(
                "readCaseCoverage", "Fields that no check watches", _page("CaseCoverage"), _ID
            )
        },
        "/suites/{id}/coverage": {
            "get": _operation(
                "readSuiteCoverage", "The same of a suite", _page("CaseCoverage"), _ID
            )
        },
        "/format": {
            "get": _operation("readFormat", "The words of the case format", _page("FormatWord"))
        },
        "/cases": {
            "post": _operation("addCase", "A new case", _of("Case"), status=201, body="NewCase")
        },
        "/cases/{id}": {
            "get": _operation("readCase", "One case", _of("Case"), _ID, _TEXT),
            "put": _operation(
                "saveCase", "Save a case", _of("Case"), _ID, _TEXT, if_match, body="CaseDocument"
            ),
            "delete": _operation("removeCase", "Take a case out of its suite", _of("Gone"), _ID),
        },
        "/deleted": {
            "get": _operation(
                "listDeleted", "Cases that were deleted lately", _page("DeletedCase"), _PROJECT
            )
        },
        "/cases/{id}/back": {
            "post": _operation("bringBack", "Bring a case back", _of("Case"), _ID)
        },
        "/cases/{id}/move": {
            "post": _operation("moveCase", "To another place", _of("Case"), _ID, body="CaseMove")
        },
        "/cases/{id}/finished": {
            "get": _operation(
                "listFinished",
                "Finished requests of the first rows",
                _page("FinishedRequest"),
                _ID,
                _parameter("step", "the step's key", True),
                _parameter("environment", "against which; else the usual one"),
            )
        },
        "/cases/{id}/presence": {
            "post": _operation("bePresent", "Who else has it open", _of("Present"), _ID, body="Tab")
        },
        "/cases/{id}/revisions": {
            "get": _operation("listRevisions", "Kept versions", _page("Revision"), _ID)
        },
        "/cases/{id}/revisions/{version}": {
            "get": _operation(
                "readRevision",
                "One kept version",
                _of("RevisionDocument"),
                _ID,
                _parameter("version", "the version's number", True, "path", "integer"),
            )
        },
        "/cases/{id}/evidence": {
            "get": _operation(
                "readCaseEvidence",
                "What its last run saw",
                _of("Evidence"),
                _ID,
                _parameter("run", "one of its runs instead"),
                _parameter("row", "of which row", kind="integer"),
            )
        },
        "/cases/{id}/steps/{key}/seen": {
            "get": _operation(
                "readSeen",
                "What a step's last answers have shown",
                _of("Seen"),
                _ID,
                _parameter("key", "the step's key", True, "path"),
            )
        },
        "/cases/{id}/steps/{key}/proposals": {
            "get": _operation(
                "listProposals",
                "Checks that a step's answers justify",
                _of("Proposals"),
                _ID,
                _parameter("key", "the step's key", True, "path"),
            )
        },
        "/cases/{id}/places": {
            "get": _operation(
                "pickPlaces",
                "Values of earlier answers",
                _page("EarlierPlace"),
                _ID,
                _parameter("before", "the key of the step that wants one"),
                _parameter("text", "what its place or its value holds"),
            )
        },
        "/cases/{id}/insertable": {
            "post": _operation(
                "listInsertable",
                "What a reference could be",
                _page("Insertable"),
                _ID,
                body="ToInsert",
            )
        },
        "/cases/{id}/repeated": {
            "get": _operation(
                "listRepeated", "Literals that earlier answers hold", _page("Repeated"), _ID
            )
        },
        "/cases/{id}/kept": {
            "post": _operation(
                "cleanKept",
                "What a place with its pipes gives",
                _of("Cleaned"),
                _ID,
                body="ToClean",
            )
        },
        "/cases/{id}/sentences": {
            "post": _operation(
                "readSentence",
                "What a typed check means, and how it holds of the last answer",
                _of("Understood"),
                _ID,
                body="Typed",
            )
        },
        "/cases/{id}/sheet": {
            "post": _operation(
                "readSheet", "Rows of a sheet as checks", _page("SheetRow"), _ID, body="SheetRows"
            )
        },
        "/runs": {
            "get": _operation(
                "listRuns",
                "Runs, newest first",
                _page("Run"),
                _PROJECT,
                _LIMIT,
                _parameter("before", "the page's next"),
                _parameter("case", "only runs of this case"),
            ),
            "post": _operation(
                "askRun", "Ask for a run", _of("Run"), idempotency, status=201, body="NewRun"
            ),
        },
        "/changing-steps": {
            "post": _operation(
                "listChangingSteps",
                "What of a run may change something",
                _page("ChangingStep"),
                body="NewRun",
            )
        },
        "/steps-before": {
            "post": _operation(
                "listStepsBefore",
                "What steps sent alone would need",
                _of("StepsBefore"),
                body="NewRun",
            )
        },
        "/runs/{id}": {"get": _operation("readRun", "A run with its cases", _of("RunReport"), _ID)},
        "/runs/{id}/cases/{position}": {
            "get": _operation(
                "readRunCase",
                "A case's steps with evidence",
                _page("StepEvidence"),
                _ID,
                position,
                _parameter("row", "of which row", kind="integer"),
            )
        },
        "/runs/{id}/cases/{position}/rows": {
            "get": _operation(
                "listRunRows",
                "How a case's rows ended",
                _page("RunRow"),
                _ID,
                position,
                _LIMIT,
                _parameter("offset", "how many are left out before", kind="integer"),
                _parameter("sort", "number, verdict, time, column NAME, step PART INDEX time"),
                _parameter("down", "true: the other way round"),
                _parameter("verdict", "failed,blocked: only such"),
                _parameter("value", "a kept value that is shown"),
            )
        },
        "/runs/{id}/cases/{position}/common": {
            "get": _operation(
                "readInCommon",
                "What rows that went wrong have in common",
                _of("FoundInCommon"),
                _ID,
                position,
            )
        },
        "/runs/{id}/stop": {
            "post": _operation("stopRun", "Stop a run", _of("Run"), _ID, status=202)
        },
        "/exchanges/{id}/body": {"get": body},
        "/events": {
            "get": _operation(
                "listEvents", "Events after an id", _page("Event"), _PROJECT, _LIMIT, after
            )
        },
        "/events/stream": {"get": stream},
    }
    return {
        "openapi": "3.1.0",
        "info": {
            "title": "Salt Path",
            "version": "1",
            "description": "The API of a Salt Path installation.",
        },
        "servers": [{"url": "/api/v1"}],
        "paths": paths,
        "components": {"schemas": SHAPES},
    }
