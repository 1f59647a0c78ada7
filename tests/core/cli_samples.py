"""What tests of cli are made of, for others too."""

from __future__ import annotations

from quilt_cli.main import main


def run(capsys, *argv):
    code = main([str(a) for a in argv])
    out = capsys.readouterr()
    return code, out.out, out.err
