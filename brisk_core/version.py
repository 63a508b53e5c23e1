"""The engine version: inspections are kept by content and by this text, so it changes when facts or findings may."""

ENGINE = "0.21.0"
