package rilvan.server.installation;

/** Something of the installation that may be well or not; their order is that of the report. */
interface InstallationPart {

    Part look();
}
