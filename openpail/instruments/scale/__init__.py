"""The scale: its protocol (PROTOCOL.md), its reader and its stand-in."""
