"""The use cases, one module a station of the workbench. The API, the command line and the jobs all call these."""
