"""Who may see and change projects, and what they say."""
