"""The settings of the application, with things of our own registered before anything is imported."""

from tests.grown import things

things.register()

from server.project.settings import *  # noqa: E402, F403
