"""What a wheel has beside the packages: the built front end, so that nobody who installs it needs Node."""

from pathlib import Path
from shutil import copytree

from setuptools import setup
from setuptools.command.build_py import build_py

BUILT = Path(__file__).parent / "web" / "dist"


class WithPages(build_py):
    """Packages, and the pages that are served."""

    def run(self) -> None:
        super().run()
        if not self.editable_mode:
            if not (BUILT / "index.html").is_file():
                raise SystemExit("The front end is not built. Use: make wheel")
            copytree(BUILT, Path(self.build_lib) / "server" / "pages", dirs_exist_ok=True)


setup(cmdclass={"build_py": WithPages})
