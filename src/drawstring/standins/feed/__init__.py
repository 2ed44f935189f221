"""The stand-in renderer's feed: its scenes, pictures that get better, lights that can be changed."""

from drawstring.standins.feed.service import FeedFaults, create_feed

__all__ = ["FeedFaults", "create_feed"]
