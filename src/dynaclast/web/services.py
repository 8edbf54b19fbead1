"""What the views use: the store, pieces built and being built, the survey, and the reader of mesh files."""

from __future__ import annotations

import os
from typing import cast

from flask import Flask, current_app

from ..core.solve.collision import HullShop
from ..jobs.bell import SETTING, ring
from ..jobs.builds import Builds
from ..jobs.reader import Reader
from ..jobs.settlings import Settlings
from ..jobs.survey import Surveyor
from ..jobs.take_picture import Pictures
from ..jobs.traces import Traces
from ..store.assets import PieceCache
from ..store.database import Store

NAME = "dynaclast"


class Services:
    """The services of one running application."""

    def __init__(self, url: str) -> None:
        self.store = Store(url)
        self.bell = os.environ.get(SETTING, "")
        self.cache = PieceCache(self.store)
        self.pictures = Pictures(self.store, self.cache)
        self.builds = Builds(self.cache)
        self.reader = Reader()
        self.hulls = HullShop(self.cache.resolve, most=4000)
        self.surveyor = Surveyor(self.builds, self.hulls)
        self.settlings = Settlings(self.cache.resolve)
        self.traces = Traces(self.store, self.cache)

    def work_waits(self) -> None:
        """Tell the bake service that there is something for it."""
        ring(self.bell)


def provide(app: Flask, url: str) -> None:
    """Give an application its services."""
    app.extensions[NAME] = Services(url)


def services_of(app: Flask) -> Services:
    """An application's services."""
    return cast(Services, app.extensions[NAME])


def services() -> Services:
    """The running application's services."""
    return services_of(current_app)
