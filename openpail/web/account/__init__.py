"""Set-up and sign-in."""
