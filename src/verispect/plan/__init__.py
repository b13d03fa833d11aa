"""From subject, kit and wish to methods: every method ends as a list of exposures."""
