"""Requests and answers that come late, as on a slow or busy network."""

from tests.waiting import until


class Slow:
    """Holds the next request to an address back from the server until it is let go."""

    def __init__(self, page, address):
        self.page, self.held = page, None
        page.route(address, self.hold)

    def hold(self, route):
        if self.held is None:
            self.held = self.taken(route)
        else:
            route.continue_()

    def taken(self, route):
        """Give what is kept of the request until it is let go."""
        return route

    def until_asked(self):
        until(lambda: self.page.evaluate("true") and self.held, "the request to be made")

    def let_go(self):
        self.until_asked()
        self.held.continue_()


class Late(Slow):
    """Holds the next answer of an address back, already written, until it is let go."""

    def taken(self, route):
        return route, route.fetch()

    def let_go(self):
        self.until_asked()
        route, answer = self.held
        route.fulfill(response=answer)
