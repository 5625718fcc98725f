"""What a survey sees in frames, and how a bare sheet is cut."""
