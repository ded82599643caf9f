"""The vat's probe: its protocol (PROTOCOL.md), its reader and its stand-in."""
