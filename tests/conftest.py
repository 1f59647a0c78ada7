"""Which tests take long: `make check` leaves them out."""

import pytest

SLOW = (
    "test_at_once",
    "test_fuzz",
    "test_pack_many",
    "test_many",
    "test_order_loops",
    "test_stop",
    "test_controls",
    "test_separation",
    "test_compaction",
    "test_regions",
    "test_mating",
    "test_demo",
    "test_cli_control",
    "test_control",
    "test_a_hundred_thousand_faces",
    "test_one_huge_face",
    "test_gap_and_margin_are_never_violated",
    "test_pack.py",
    "test_stacks",
    "test_fitting",
    "test_cli.py",
    "test_binding",
    "test_harm",
    "test_real_files",
    "test_grid",
    "test_masks",
    "test_round_trip",
    "test_gltf.py::test_the_demo",
)


def pytest_collection_modifyitems(items):
    for item in items:
        if any(name in item.nodeid for name in SLOW):
            item.add_marker(pytest.mark.slow)
