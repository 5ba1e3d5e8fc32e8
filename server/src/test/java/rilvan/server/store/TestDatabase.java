package rilvan.server.store;

import java.io.File;
import java.io.IOException;
import java.net.ServerSocket;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.stream.Stream;
import java.util.zip.GZIPInputStream;
import org.apache.ibatis.mapping.Environment;
import org.apache.ibatis.session.Configuration;
import org.apache.ibatis.session.SqlSessionFactoryBuilder;
import org.flywaydb.core.Flyway;
import org.mybatis.spring.SqlSessionTemplate;
import org.mybatis.spring.transaction.SpringManagedTransactionFactory;
import org.postgresql.ds.PGSimpleDataSource;
import rilvan.core.document.SecretSeal;

/** A real PostgreSQL for tests: one cluster for all of them, a database of its own for each that asks. It ends with the tests. */
public final class TestDatabase {

    private static TestDatabase only;
    private static int databases;

    private final Path programs;
    private final int port;

    private TestDatabase() throws IOException, InterruptedException {
        try (Stream<Path> versions = Files.list(Path.of("/usr/lib/postgresql"))) {
            programs = versions.map(version -> version.resolve("bin")).filter(bin -> Files.exists(bin.resolve("initdb"))).max(Comparator.naturalOrder()).orElseThrow();
        }
        try (ServerSocket free = new ServerSocket(0)) {
            port = free.getLocalPort();
        }
        Path folder = Files.createTempDirectory(Path.of("target").toAbsolutePath(), "store");
        if (root()) {
            run(List.of("chown", "postgres", folder.toString()));
        }
        run(asStoreUser("initdb", "-D", folder.toString(), "-U", "rilvan", "--auth=trust", "--encoding=UTF8", "--locale=C.UTF-8", "--no-sync"));
        run(asStoreUser("pg_ctl", "-D", folder.toString(), "-w", "-l", folder.resolve("log").toString(), "-o", "-c listen_addresses=127.0.0.1 -c port=" + port
                + " -c unix_socket_directories= -c fsync=off", "start"));
        Runtime.getRuntime().addShutdownHook(new Thread(() -> {
            try {
                run(asStoreUser("pg_ctl", "-D", folder.toString(), "-m", "immediate", "stop"));
                run(List.of("rm", "-rf", folder.toString()));
            } catch (IOException | InterruptedException e) {
                throw new IllegalStateException(e);
            }
        }));
    }

    private static synchronized TestDatabase only() throws IOException, InterruptedException {
        if (only == null) {
            only = new TestDatabase();
        }
        return only;
    }

    /** An empty database with the schema of today. */
    public static PGSimpleDataSource migrated() throws IOException, InterruptedException {
        PGSimpleDataSource source = only().create();
        migrate(source);
        return source;
    }

    /** A database as an earlier version left it, without later migrations. */
    public static PGSimpleDataSource stored(Path dump) throws IOException, InterruptedException {
        PGSimpleDataSource source = only().create();
        Process psql = new ProcessBuilder(only().programs.resolve("psql").toString(), "-q", "-v", "ON_ERROR_STOP=1", "-h", "127.0.0.1", "-p", "" + only().port, "-U", "rilvan",
                source.getDatabaseName()).redirectOutput(ProcessBuilder.Redirect.DISCARD).redirectError(new File("target/psql.log")).start();
        try (var sql = new GZIPInputStream(Files.newInputStream(dump)); var in = psql.getOutputStream()) {
            sql.transferTo(in);
        }
        if (psql.waitFor() != 0) {
            throw new IllegalStateException(Files.readString(Path.of("target/psql.log")));
        }
        return source;
    }

    /** A mapper on a database, with the transactions of Spring. */
    public static <T> T mapper(PGSimpleDataSource source, Class<T> type) {
        Configuration configuration = new Configuration(new Environment("test", new SpringManagedTransactionFactory(), source));
        configuration.setMapUnderscoreToCamelCase(true);
        configuration.addMapper(type);
        return new SqlSessionTemplate(new SqlSessionFactoryBuilder().build(configuration)).getMapper(type);
    }

    public static void migrate(PGSimpleDataSource source) {
        Flyway.configure().dataSource(source).locations("classpath:db/migration").javaMigrations(new V20__SealSecrets(SecretSeal.WITHOUT_KEY)).load().migrate();
    }

    private synchronized PGSimpleDataSource create() throws IOException, InterruptedException {
        PGSimpleDataSource source = new PGSimpleDataSource();
        source.setServerNames(new String[] {"127.0.0.1"});
        source.setPortNumbers(new int[] {port});
        source.setUser("rilvan");
        source.setDatabaseName("test" + databases++);
        run(List.of(programs.resolve("createdb").toString(), "-h", "127.0.0.1", "-p", "" + port, "-U", "rilvan", source.getDatabaseName()));
        return source;
    }

    private static boolean root() {
        return System.getProperty("user.name").equals("root");
    }

    private List<String> asStoreUser(String program, String... arguments) {
        List<String> command = new ArrayList<>(root() ? List.of("setpriv", "--reuid=postgres", "--regid=postgres", "--init-groups", "--reset-env", "--") : List.of());
        command.add(programs.resolve(program).toString());
        command.addAll(List.of(arguments));
        return command;
    }

    private static void run(List<String> command) throws IOException, InterruptedException {
        Path log = Files.createTempFile(Path.of("target"), "command", ".log");
        if (new ProcessBuilder(command).redirectErrorStream(true).redirectOutput(log.toFile()).start().waitFor() != 0) {
            throw new IllegalStateException(command + ": " + Files.readString(log));
        }
        Files.delete(log);
    }
}
