"""Who is at work. Django's own accounts; the demo's local visitor is signed in as a made-up dresser."""
