"""What is kept: shots with their revisions, assets, takes with their frames and events, in MariaDB."""
