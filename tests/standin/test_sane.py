"""The stand-in, scanned from by an independent client: SANE with its eSCL driver, called as a library."""

import json
import subprocess
import sys
from pathlib import Path

from tests.helpers import Drawer

SCAN = """
import json, sane
sane.init()
device = sane.open("airscan:e0:Stand-in")
device.resolution = 100
device.mode = "Gray"
glass = device.scan()
device.source = "ADF Duplex"
device.mode = "Color"
pages = [page.size for page in device.multi_scan()]
print(json.dumps({"glass": [glass.mode, *glass.size], "feeder": pages}))
device.close()
"""


def test_an_independent_client_scans_from_glass_and_feeder(
    drawer: Drawer, tmp_path: Path, environment: dict[str, str]
) -> None:
    (tmp_path / "dll.conf").write_text("airscan\n")
    (tmp_path / "airscan.conf").write_text(
        f'[devices]\n"Stand-in" = {drawer.escl("zaunkoenig")}, eSCL\n[options]\ndiscovery = disable\n'
    )
    drawer.lay("hail", where="glass")
    drawer.lay("lease", "german")
    done = subprocess.run(
        [sys.executable, "-c", SCAN], env={**environment, "SANE_CONFIG_DIR": str(tmp_path)},
        capture_output=True, text=True, timeout=120, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    seen = json.loads(done.stdout)
    assert seen["glass"][0] == "L"
    # the glass is 230 x 330 mm: 906 x 1299 pixels at 100 dpi
    assert abs(seen["glass"][1] - 906) <= 2
    assert abs(seen["glass"][2] - 1299) <= 2
    assert len(seen["feeder"]) == 8  # 3 sheets of the lease and the letter, both sides
    assert drawer.in_feeder() == 0
