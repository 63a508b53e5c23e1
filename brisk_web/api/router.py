"""The one router of all calls: an address that is read and written to is one address."""

from ninja import Router

router = Router()
