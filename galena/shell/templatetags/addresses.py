"""The tag `url` of Django, which keeps what it has found: a page writes many addresses."""

from functools import lru_cache

from django import template
from django.template.base import Parser, Token
from django.template.context import Context
from django.template.defaulttags import URLNode
from django.template.defaulttags import url as url_of_django
from django.urls import reverse
from django.utils.html import conditional_escape

register = template.Library()
KEPT = 8192  # addresses


class KeptURLNode(URLNode):
    """An address by the name of its route and what stands in it by position."""

    def render(self, context: Context) -> str:
        """Write the address. Raises NoReverseMatch."""
        if self.kwargs or self.asvar:
            return super().render(context)
        name = self.view_name.resolve(context)
        written = address(name, tuple(argument.resolve(context) for argument in self.args))
        return conditional_escape(written) if context.autoescape else written


@lru_cache(KEPT)
def address(name: str, arguments: tuple) -> str:
    """Give the address of a route. Raises NoReverseMatch."""
    return reverse(name, args=arguments)


@register.tag("url")
def url(parser: Parser, token: Token) -> KeptURLNode:
    """Write the address of a route; as Django's own tag, and quicker."""
    node = url_of_django(parser, token)
    return KeptURLNode(node.view_name, node.args, node.kwargs, node.asvar)
