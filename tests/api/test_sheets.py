"""Sheets over HTTP: listed, read, saved as files, and what is said when there is no such sheet."""

import io
from collections.abc import Iterator

import httpx
import openpyxl
import pytest
from pypdf import PdfReader

from server import Server


@pytest.fixture
def api(server: Server) -> Iterator[httpx.Client]:
    with httpx.Client(base_url=f"{server.url}/api", timeout=60) as client:
        yield client


def test_sheets_are_listed_read_and_saved(api: httpx.Client) -> None:
    state = api.post("/rigs", json={"example": "voices-before-the-faders"}).json()
    path = f"/rigs/{state['id']}"
    names = api.get(f"{path}/sheets").json()
    titles = [each["title"] for each in names]
    assert titles[4:11] == [
        "Check report",
        "For the next technician",
        "Corvane 8",
        "Gully",
        "Air",
        "Gangway",
        "Longhand",
    ]
    labels = [each for each in names if each["group"] == "Label strips"]
    assert [each["title"] for each in labels] == ["Corvane 8", "Gangway", "Longhand"]
    gully = names[7]
    sheet = api.get(f"{path}/sheet", params={"key": gully["key"]}).json()
    assert sheet["tables"][0]["rows"][4] == ["5", "Gangway: Mix L (its 13)", "Longhand: Mix L"]
    asked = {"key": gully["key"], "paper": "Letter", "date": "2026-11-28"}
    pdf = api.get(f"{path}/sheet-file", params=asked)
    assert pdf.headers["content-type"] == "application/pdf"
    name = 'filename="Voices before the faders, rev 1, Gully, 2026-11-28.pdf"'
    assert name in pdf.headers["content-disposition"]
    reader = PdfReader(io.BytesIO(pdf.content))
    assert [float(each) for each in reader.pages[0].mediabox[2:]] == [612, 792]
    assert reader.metadata is not None
    assert reader.metadata.title == "Gully · Voices before the faders · rev 1 · 2026-11-28"
    wide = {"key": labels[2]["key"], "width_mm": 30.5, "height_mm": 9}
    page = PdfReader(io.BytesIO(api.get(f"{path}/sheet-file", params=wide).content)).pages[0]
    assert "Tracks 1–5" in page.extract_text()
    assert api.get(f"{path}/sheet-file", params={**wide, "width_mm": 1}).status_code == 422
    book = openpyxl.load_workbook(io.BytesIO(api.get(f"{path}/sheet-file", params={**asked, "form": "xlsx"}).content))
    assert book["Channels"]["A5"].value == 2
    rows = api.get(f"{path}/sheet-file", params={**asked, "form": "csv"}).content.decode("utf-8-sig")
    assert "5,Gangway: Mix L (its 13),Longhand: Mix L" in rows


def test_a_sheet_that_is_not_there_is_refused_in_words(api: httpx.Client) -> None:
    state = api.post("/rigs", json={"name": "Blank"}).json()
    path = f"/rigs/{state['id']}"
    for answer in (
        api.get(f"{path}/sheet", params={"key": "patch:b1"}),
        api.get(f"{path}/sheet-file", params={"key": "patch:b1"}),
    ):
        assert answer.status_code == 422
        assert "there is no such sheet now" in answer.json()["detail"]
    assert api.get(f"{path}/sheet-file", params={"key": "lines", "form": "doc"}).status_code == 422
    assert api.get(f"{path}/sheet-file", params={"key": "lines", "date": "soon"}).status_code == 422
