"""The run sheet: lines of work, what each depends on, and which of them are out of date."""
