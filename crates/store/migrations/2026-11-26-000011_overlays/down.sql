DROP TABLE overlay_steps;
DROP TABLE overlays;
