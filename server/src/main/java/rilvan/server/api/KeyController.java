package rilvan.server.api;

import io.swagger.v3.oas.annotations.responses.ApiResponse;
import java.util.List;
import org.springframework.http.HttpStatus;
import org.springframework.http.ResponseEntity;
import org.springframework.web.bind.annotation.DeleteMapping;
import org.springframework.web.bind.annotation.GetMapping;
import org.springframework.web.bind.annotation.PathVariable;
import org.springframework.web.bind.annotation.PostMapping;
import org.springframework.web.bind.annotation.RequestMapping;
import org.springframework.web.bind.annotation.ResponseStatus;
import org.springframework.web.bind.annotation.RestController;
import rilvan.server.access.Requires;
import rilvan.server.access.Role;
import rilvan.server.acts.Act;
import rilvan.server.acts.Recorded;
import rilvan.server.keys.KeyChange;
import rilvan.server.keys.KeyChange.OpeningKey;

/** The keys that open the store, which are in the key files of the instances. A key itself is neither sent nor shown. */
@RestController
@RequestMapping("/api/v1/keys")
public class KeyController {

    private final KeyChange keys;

    KeyController(KeyChange keys) {
        this.keys = keys;
    }

    /** The keys that open the store, the oldest first, and the instances that have each in their key file. */
    @GetMapping
    @Requires(Role.ADMINISTER)
    List<OpeningKey> all() {
        return keys.all();
    }

    /** The key in the file beside the key file of the instance that is asked, under the same name with .next, opens the store from now on as well. */
    @PostMapping
    @ApiResponse(responseCode = "201", description = "It opens the store.")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "add key", about = "key")
    ResponseEntity<OpeningKey> add(Act act) {
        OpeningKey added = keys.add();
        act.about("key", added.name()).after(added);
        return ResponseEntity.status(HttpStatus.CREATED).body(added);
    }

    /** A key opens the store no more. Refused while it is the only one, or the key file of an instance that is alive has not the other one. */
    @DeleteMapping("/{name}")
    @Requires(Role.ADMINISTER)
    @Recorded(value = "remove key", about = "key")
    @ResponseStatus(HttpStatus.NO_CONTENT)
    void remove(@PathVariable String name, Act act) {
        act.about("key", name);
        keys.remove(name);
    }
}
