package rilvan.server.installation;

import java.io.IOException;
import java.nio.file.FileStore;
import java.nio.file.Files;
import java.nio.file.Path;
import org.springframework.core.annotation.Order;
import org.springframework.stereotype.Component;

/** How much room there is where this instance runs. */
@Component
@Order(11)
final class DiskPart implements InstallationPart {

    private static final double LITTLE_ROOM = 0.1;

    @Override
    public Part look() {
        try {
            FileStore disk = Files.getFileStore(Path.of("").toAbsolutePath());
            String found = Amount.size(disk.getUsableSpace()) + " of " + Amount.size(disk.getTotalSpace()) + " are free where this instance runs";
            return disk.getUsableSpace() > LITTLE_ROOM * disk.getTotalSpace() ? Part.well("disk", found) : Part.toBeLookedAt("disk", found, "make room, or keep history for a shorter time");
        } catch (IOException e) {
            return Part.toBeLookedAt("disk", "it cannot be told how much is free: " + e.getMessage(), "");
        }
    }
}
