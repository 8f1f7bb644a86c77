"""Signed-in visitors, as the web tests have them."""

from tests.web.conftest import made as made
from tests.web.conftest import own_store as own_store
from tests.web.conftest import someone as someone
from tests.web.conftest import visitor as visitor
