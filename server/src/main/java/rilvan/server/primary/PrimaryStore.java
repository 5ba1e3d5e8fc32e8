package rilvan.server.primary;

import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.SQLTransientConnectionException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.Properties;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.jdbc.datasource.AbstractDataSource;

/** Opens connections to that host of a store which is its primary, and to none whose timeline is earlier than one that was seen. */
final class PrimaryStore extends AbstractDataSource {

    private static final Logger LOG = LoggerFactory.getLogger(PrimaryStore.class);
    private static final String STANDING = "select pg_is_in_recovery(), system_identifier from pg_control_system()";
    /** The first eight digits of a log file's name are the timeline that is written now; the control file learns of it later. */
    private static final String TIMELINE = "select ('x' || substr(pg_walfile_name(pg_current_wal_lsn()), 1, 8))::bit(32)::bigint";

    private final StoreHosts hosts;
    private final KnownTimeline known;
    private final Runnable replaced;
    private volatile String last;

    /** @param replaced is run where another host has become the primary: what is connected to the former one is not to be used again */
    PrimaryStore(StoreHosts hosts, KnownTimeline known, Runnable replaced) {
        this.hosts = hosts;
        this.known = known;
        this.replaced = replaced;
    }

    /** A connection to a primary. */
    private record Candidate(String host, Connection connection, KnownTimeline.Timeline timeline) {}

    @Override
    public Connection getConnection(String user, String password) throws SQLException {
        List<String> reasons = new ArrayList<>();
        String before = last;
        if (before != null) {
            Candidate candidate = candidate(before, user, password, reasons);
            if (candidate != null) {
                return taken(candidate);
            }
        }
        Candidate best = null;
        for (String host : hosts.hosts()) {
            Candidate candidate = host.equals(before) ? null : candidate(host, user, password, reasons);
            if (candidate != null && best != null) {
                Candidate worse = candidate.timeline().number() > best.timeline().number() ? best : candidate;
                close(worse.connection());
                reasons.add(worse.host() + " is a former primary");
                best = worse == best ? candidate : best;
            } else if (candidate != null) {
                best = candidate;
            }
        }
        if (best == null) {
            throw new SQLTransientConnectionException("the store has no primary that can be used: " + String.join("; ", reasons), "08001");
        }
        return taken(best);
    }

    /** @return null where the host is not to be used; the reasons say why */
    private Candidate candidate(String host, String user, String password, List<String> reasons) {
        Properties properties = new Properties();
        properties.setProperty("user", user);
        properties.setProperty("password", password);
        Connection connection = null;
        try {
            connection = DriverManager.getConnection(hosts.address(host), properties);
            KnownTimeline.Timeline timeline = timeline(connection, host);
            known.refuses(timeline).ifPresent(why -> {
                throw new NotThis(host + " " + why);
            });
            return new Candidate(host, connection, timeline);
        } catch (SQLException e) {
            reasons.add(host + ": " + e.getMessage());
        } catch (NotThis e) {
            reasons.add(e.getMessage());
        }
        close(connection);
        return null;
    }

    private static final class NotThis extends RuntimeException {
        NotThis(String why) {
            super(why);
        }
    }

    private static KnownTimeline.Timeline timeline(Connection connection, String host) throws SQLException {
        try (Statement statement = connection.createStatement()) {
            long system;
            try (ResultSet row = statement.executeQuery(STANDING)) {
                row.next();
                if (row.getBoolean(1)) {
                    throw new NotThis(host + " is a standby");
                }
                system = row.getLong(2);
            }
            try (ResultSet row = statement.executeQuery(TIMELINE)) {
                row.next();
                return new KnownTimeline.Timeline(system, row.getLong(1));
            }
        }
    }

    private Connection taken(Candidate candidate) {
        if (known.seen(candidate.timeline()) && last != null) {
            LOG.warn("the store's primary is {} now, on timeline {}", candidate.host(), candidate.timeline().number());
            replaced.run();
        }
        last = candidate.host();
        return candidate.connection();
    }

    private static void close(Connection connection) {
        try {
            if (connection != null) {
                connection.close();
            }
        } catch (SQLException e) {
            LOG.debug("a connection that is not used does not close: {}", e.getMessage());
        }
    }

    @Override
    public Connection getConnection() throws SQLException {
        return getConnection(hosts.user(), hosts.password());
    }
}
