"""What all screens share: fields, figures as text, drawings."""
