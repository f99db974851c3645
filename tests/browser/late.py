"""Answers that come late, as on a slow or busy network."""

from tests.waiting import until


class Late:
    """Holds the next answer of an address back, already written, until it is let go."""

    def __init__(self, page, address):
        self.page, self.held = page, None
        page.route(address, self.hold)

    def hold(self, route):
        if self.held is None:
            self.held = (route, route.fetch())
        else:
            route.continue_()

    def let_go(self):
        until(lambda: self.page.evaluate("true") and self.held, "the answer to be written")
        route, answer = self.held
        route.fulfill(response=answer)
