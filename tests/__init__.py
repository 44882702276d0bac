"""The tests; what stands beside them asserts as they do."""

import pytest

pytest.register_assert_rewrite("tests.harness", "tests.operations.effects")
