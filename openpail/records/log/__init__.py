"""The log: what happened to every subject, its one door, and the streams of probes."""
