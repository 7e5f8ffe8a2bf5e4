"""What rays find out: shadows, occlusion, mirrors, and how they are shared and smoothed."""
