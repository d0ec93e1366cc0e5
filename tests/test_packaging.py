"""What an installed program brings to a desktop: entry, type, metainfo, page, completions; and what a release is made of."""

import re
import shutil
import subprocess
import tarfile
import xml.etree.ElementTree as ET
from configparser import ConfigParser
from pathlib import Path

import pytest

from bathyx import __version__
from bathyx.cli.main import parser_of
from bathyx.cli.words import Parser
from bathyx.desk.start import DESKTOP_ID
from tools.api_page import api_page
from tools.shell_files import FILES, shell_files

ROOT = Path(__file__).parents[1]
SHARE = ROOT / "share"


def test_pages_made_from_the_code_are_current():
    made = shell_files()
    for place in FILES:
        assert (SHARE / place).read_text("utf-8") == made[place], "run `./run docs`"
    assert (ROOT / "docs/api.md").read_text("utf-8") == api_page(), "run `./run docs`"
    news, changes = ((ROOT / name).read_text("utf-8") for name in ("src/bathyx/help/news.md", "CHANGELOG.md"))
    assert news.partition("\n")[2] == changes.partition("\n")[2], "run `./run docs`"


def test_the_help_of_every_command_can_be_read():
    page = (SHARE / FILES[0]).read_text("utf-8").replace("\\-", "-")
    for action in parser_of([])._actions:
        for name, sub in (action.choices or {}).items() if isinstance(action.choices, dict) else ():
            assert isinstance(sub, Parser)
            assert name in sub.format_help()
            assert f"bathyx {name}" in page
            assert f"'{name}'" in (SHARE / FILES[1]).read_text("utf-8") or name in (SHARE / FILES[1]).read_text("utf-8")


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["figurs"], "did you mean figures?"),
        (["figures"], "JOB.json is missing"),
        (["figures", "x", "--pich", "3"], "--pich is not known here"),
        (["export", "x", "y", "--units", "feet"], "one of metric, us, us-decimal"),
        (["figures", "x", "--pitch"], "--pitch wants a value"),
        (["figures", "x", "--pitch", "two"], "--pitch wants a number, not 'two'"),
    ],
)
def test_a_slip_is_said_in_one_line(capsys, words, says):
    with pytest.raises(SystemExit) as ended:
        parser_of(words).parse_args(words)
    assert ended.value.code == 2
    said = capsys.readouterr().err
    assert says in said
    assert said.count("\n") == 1


def test_the_desktop_entry_opens_jobs_in_the_window_that_is_there():
    entry = ConfigParser(interpolation=None, delimiters="=")
    entry.optionxform = str
    entry.read(SHARE / f"applications/{DESKTOP_ID}.desktop", "utf-8")
    main = entry["Desktop Entry"]
    assert main["Exec"] == "bathyx desk %f"
    parser_of([]).parse_args(["desk", "x.bathyx.json"])
    mime = ET.parse(SHARE / f"mime/packages/{DESKTOP_ID}.xml").getroot()
    kind = mime[0].attrib["type"]
    assert main["MimeType"] == f"{kind};"
    assert (SHARE / f"icons/hicolor/scalable/apps/{main['Icon']}.svg").is_file()
    assert (SHARE / f"icons/hicolor/scalable/mimetypes/{kind.replace('/', '-')}.svg").is_file()
    icon = (SHARE / f"icons/hicolor/scalable/apps/{DESKTOP_ID}.svg").read_bytes()
    assert icon == (ROOT / "src/bathyx/desk/theme/bathyx.svg").read_bytes()


def test_metainfo_changelog_and_version_are_of_one_release():
    info = ET.parse(SHARE / f"metainfo/{DESKTOP_ID}.metainfo.xml").getroot()
    assert info.findtext("id") == DESKTOP_ID
    release = info.find("releases/release").attrib
    first = re.search(r"^## ([\d.]+), ([\d-]+)$", (ROOT / "CHANGELOG.md").read_text("utf-8"), re.MULTILINE)
    assert first.groups() == (release["version"], release["date"])
    assert release["version"] == __version__
    for shot in info.iterfind("screenshots/screenshot/image"):
        assert (ROOT / "docs/screenshots" / shot.text.rpartition("/")[2]).is_file()


VALIDATORS = {
    "desktop-file-validate": [f"applications/{DESKTOP_ID}.desktop"],
    "appstreamcli": ["validate", "--no-net", f"metainfo/{DESKTOP_ID}.metainfo.xml"],
    "xmllint": ["--noout", f"mime/packages/{DESKTOP_ID}.xml"],
    "bash": ["-n", FILES[1]],
}


@pytest.mark.parametrize("name", VALIDATORS)
def test_validators_pass_what_is_shipped(name):
    if shutil.which(name) is None:
        pytest.skip(f"{name} is not here")
    done = subprocess.run([name, *VALIDATORS[name]], cwd=SHARE, capture_output=True, text=True)
    assert done.returncode == 0, done.stdout + done.stderr


def test_a_source_archive_has_what_its_tests_need(tmp_path):
    import os
    import sys

    made = subprocess.run(
        [sys.executable, "-c", "import setuptools.build_meta as b, sys; print(b.build_sdist(sys.argv[1]))", str(tmp_path)],
        cwd=ROOT, capture_output=True, text=True, env=os.environ | {"PYTHONWARNINGS": "ignore"},
    )  # fmt: skip
    assert made.returncode == 0, made.stderr[-2000:]
    with tarfile.open(next(tmp_path.glob("*.tar.gz"))) as archive:
        names = {name.partition("/")[2] for name in archive.getnames()}
    for wanted in (
        "run", "requirements.lock", "requirements-run.lock", "CHANGELOG.md", "tests/conftest.py", "tests/desk/driver.py",
        "tools/setup.sh",
        "docs/job.schema.json", "docs/answers/figures.schema.json", f"share/metainfo/{DESKTOP_ID}.metainfo.xml", "packaging/deb.sh",
        "src/bathyx/help/first-tank.md", "src/bathyx/core/sheet/bending/punches.toml", "src/bathyx/fonts/B612-LICENSE.txt",
    ):  # fmt: skip
        assert wanted in names, wanted
