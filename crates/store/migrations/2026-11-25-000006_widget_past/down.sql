DROP TABLE widget_past;
