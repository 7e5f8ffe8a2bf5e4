"""What whoever runs Zeitbild needs: is it well, what does it do, who asked for what, and copies of everything."""
