"""Each deed leaves just what it should: what it answers, which rows it writes and how, what it puts in line, what it tells the screens."""

import yaml
from django.conf import settings

from checks.promises.traces import Traced

CONTRACT = yaml.safe_load((settings.ROOT / "contract" / "openapi.yaml").read_text())


class EveryDeed(Traced):
    """Every operation that changes something, with a body that is right."""

    story = "every_deed"

    def test_leaves_what_is_written_down(self) -> None:
        right, methods = self.bodies(), {}
        for path in CONTRACT["paths"].values():
            methods |= {operation["operationId"]: method for method, operation in path.items() if method != "parameters"}
        for operation, (address, body) in right.items():
            self.asked(operation, f"{methods[operation]} {address}", **body)
        self.ends()
