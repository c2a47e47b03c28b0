"""Real disks that are full, or may not be written: small ones of our own, mounted where this machine lets us."""

import os
import shutil
import subprocess
from contextlib import suppress
from pathlib import Path

import pytest
from tests.conftest import NOW, TODAY
from tests.hostile.test_damage import filled

from noctilum.actions import health, life, people, portfolio, presenters, queue
from noctilum.actions.doctor import examine
from noctilum.actions.install import Install, Settings
from noctilum.actions.site_access import open_site
from noctilum.cli.main import main
from noctilum.core.errors import DiskFull
from noctilum.jobs.worker import Worker
from noctilum.readings.frame import Asked
from noctilum.readings.timeline import timeline
from noctilum.testing.fortnight import disk

MEGABYTE = 1 << 20


@pytest.fixture
def own_disk(tmp_path):
    with disk(tmp_path / "disk") as mounted:
        if not mounted:
            pytest.skip("this machine lets nobody mount a disk")
        yield tmp_path / "disk"


@pytest.fixture
def install(own_disk) -> Install:
    found = Install(Settings(own_disk / "install"))
    found.prepare()
    people.add_user(found, "Ines", "ines@lane.example", "lanterns over the quay", NOW)
    filled(found, "Skerry Ferries", "skerryferries.example", own_disk.parent)
    yield found
    found.close()


def brimful(own_disk: Path) -> Path:
    ballast = own_disk / "ballast"
    with suppress(OSError), ballast.open("wb", buffering=0) as sink:
        while True:
            sink.write(b"\0" * 4096)
    assert shutil.disk_usage(own_disk).free < 4096
    return ballast


def test_readings_on_a_full_disk_answer_or_say_that_it_is_full(install, own_disk):
    brimful(own_disk)
    for opened in (install, Install(install.settings)):
        try:
            site = open_site(opened, "skerryferries.example")
            assert timeline(site.holding, Asked(site.key, "P28D", "before"), "day").now.clicks > 0
        except DiskFull as why:
            assert "full" in why.what
        rows = portfolio.portfolio(opened, TODAY).rows
        assert rows[0].now is not None or "full" in rows[0].why
        opened.close()


def test_a_worker_on_a_full_disk_waits_and_goes_on_by_itself(install, own_disk):
    number = queue.put(install, "verify", {}, NOW).id
    worker = Worker(install, lambda: NOW)
    ballast = brimful(own_disk)
    for _ in range(6):
        worker._calmly(worker.tick)
        worker._calmly(worker.run_one)
    life.beat(install, NOW)
    assert any("full" in trouble for trouble in health.look(install, NOW).troubles)
    assert any(each.what == "disk" and each.state == "wrong" for each in examine(install, NOW))
    ballast.unlink()
    worker.clock = lambda: NOW.replace(hour=NOW.hour + 1)
    worker.run_one()
    job = presenters.job(install, number)
    assert (job.state, job.attempts) == ("done", 1)


def test_the_doctor_on_a_disk_that_may_not_be_written_names_it(install, own_disk, capsys):
    install.close()
    subprocess.run(["mount", "-o", "remount,ro", str(own_disk)], check=True)
    try:
        assert main(["doctor", "--data", str(install.settings.data)]) == 1
    finally:
        subprocess.run(["mount", "-o", "remount,rw", str(own_disk)], check=True)
    out = capsys.readouterr()
    assert "cannot be written" in out.out
    assert "Traceback" not in out.out + out.err
    assert os.path.exists(install.key_path)
