"""The engine version: an inspection is kept by content and by this text, so it changes when facts may change."""

ENGINE = "0.2.0"
