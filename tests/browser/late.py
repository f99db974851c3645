"""Requests and answers that come late, as on a slow or busy network."""

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


class Slow:
    """Holds the next request to an address back from the server until it is let go."""

    def __init__(self, page, address):
        self.page, self.held = page, None
        page.route(address, self.hold)

    def hold(self, route):
        if self.held is None:
            self.held = route
        else:
            route.continue_()

    def until_asked(self):
        until(lambda: self.page.evaluate("true") and self.held, "the request to be made")

    def let_go(self):
        self.held.continue_()
