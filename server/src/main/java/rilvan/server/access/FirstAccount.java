package rilvan.server.access;

import org.springframework.boot.ApplicationArguments;
import org.springframework.boot.ApplicationRunner;
import org.springframework.stereotype.Component;

/** Lets the person in whom the start command names: {@code RILVAN_FIRST_USER}, {@code RILVAN_FIRST_PASSWORD}. */
@Component
class FirstAccount implements ApplicationRunner {

    private final People people;

    FirstAccount(People people) {
        this.people = people;
    }

    @Override
    public void run(ApplicationArguments arguments) {
        String name = System.getenv("RILVAN_FIRST_USER");
        String password = System.getenv("RILVAN_FIRST_PASSWORD");
        if (name != null && password != null) {
            people.first(name, password);
        }
    }
}
