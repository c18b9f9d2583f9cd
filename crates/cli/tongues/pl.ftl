release-number = wydanie { $number }
release = { $release } zestawu { $name }, opublikowane { $day }
ends-soon = uwaga: podpisy są ważne do { $day }; powiedz temu, kto cię zaprosił, że trzeba opublikować je na nowo
unreachable = uwaga: nie można połączyć się z { $address } ({ $reason }); liczy się to, co było tam ostatnio
followed-before = uwaga: dotąd ta gra podążała za { $invite }
nothing-yet = uwaga: w tym folderze nie ma jeszcze nic z { $game }
looks-after = uwaga: w twojej grze chodzi o mody w { $folders }; o nic więcej
looks-after-more = uwaga: w twojej grze chodzi o mody w { $folders } i o to, co do nich należy w { $others }; o nic więcej
own-folder = własny folder gry
other-version = uwaga: { $what }: tutaj { $here }, na serwerze { $there }. Dopóki to nie jest to samo, nie wejdziesz, bez względu na mody
what-game = gra
what-loader = program ładujący mody
what-runtime = to, na czym działa gra
root-beyond = uwaga: jest wśród nich własny folder gry, w którym są jej programy, a nie tylko foldery modów
programs-beyond = uwaga: poza folderami modów zostałyby dodane lub zmienione: { $programs }:
programs = { $count ->
    [one] 1 program lub skrypt
    [few] { $count } programy lub skrypty
   *[other] { $count } programów lub skryptów
}
beyond-later = uwaga: o to zapytamy osobno; bez terminala potrzebne jest --beyond-mods
beyond-nobody = nic nie zrobiono, bo nie było kogo zapytać; jeśli tak bardzo ufasz temu, kto cię zaprosił, dodaj --beyond-mods
interrupted = ostatni przebieg przerwano po { $done } z { $all } kroków; najpierw zostanie dokończony

key-yes = t
key-no = n
ask-do = Zrobić to?
ask-optional = Wziąć też { $mod }? Można grać bez niego.
ask-finish = Dokończyć?
ask-other = Podążać odtąd za nowym, a nie za poprzednim?
ask-root = Pozwolić zająć się też tym folderem?
ask-trust = Czy tak bardzo ufasz temu, kto cię zaprosił?
ask-anyway = { $error }. Czy to mimo wszystko folder gry?

plan = { $game } potrzebuje tego ({ $size } do zapisania):
change-new = nowy
change-other = zmieniony
change-mended = naprawiony
change-gone = odłożony
change-renamed = nowa nazwa
change-kept = zachowany
more-mods = { $count ->
    [one] i jeszcze 1 mod
    [few] i jeszcze { $count } mody
   *[other] i jeszcze { $count } modów
}
not-on-server = serwer go nie ma

word-done = gotowe
word-in-line = zgodna
word-still-off = wciąż nie tak
word-fetched = pobrano
done = { $word }: { $game } jest zgodna z { $server }
done-partly = { $word }: wszystko, co da się zrobić stąd
in-line = { $game } jest { $word } z { $server }
still-off = { $word } w { $game }, i stąd nie da się tego naprawić:
take-back = cofnij to przez: { $command }
after-update = po następnej zmianie: { $command }
do-this = zrób: { $command }
kept-in = to, co było, jest w { $folder }
fetched = { $word }: { $size } na { $files }
fetched-reused = { $size } w kawałkach było już tutaj
files = { $count ->
    [one] 1 plik
    [few] { $count } pliki
   *[other] { $count } plików
}

join-hello = Cześć! Ktoś zaprosił cię do gry, a to przygotuje twoją grę.
join-safe = Nic się nie zmieni, zanim powiesz „tak”, i wszystko można cofnąć.
join-where = Gdzie jest twoja gra? Wpisz numer albo folder; możesz przeciągnąć folder do tego okna. Sam Enter kończy.
join-looks-like-it = { $folder } (wygląda na grę)
join-no-folder = Nie ma tu folderu { $folder }.
join-no-number = Nic tu nie ma numeru { $number }.
join-menu = { $game } jest już znana. Co teraz? Sam Enter to 1.
join-menu-ready = Przygotuj do wejścia
join-menu-undo = Cofnij ostatnią zmianę
join-menu-put-back = Przywróć coś, co odłożono
join-menu-report = Zapisz plik dla kogoś, kto ci pomaga
join-menu-other = Gra jest w innym folderze
join-menu-leave = Zakończ
join-ready = Możesz już wejść. Dobrej zabawy!
join-again = Uruchom ten program ponownie po zmianie na serwerze albo żeby to cofnąć.
join-as-known = Twoja gra jest taka, jakiej chciał serwer, gdy ostatnio można było zapytać. Może teraz chce czegoś innego.
join-not-ready = Jeszcze nie możesz wejść. To, czego brakuje, jest wyżej.
join-nothing-changed = Nic nie zmieniono.
join-report = Wyślij ten plik temu, kto ci pomaga: { $file }
join-aside = To zostało odłożone. Co chcesz z powrotem? Wpisz numer; sam Enter kończy.
join-aside-none = Nic tu nie odłożono.
join-aside-taken = Pod { $path } jest teraz coś innego i to zostaje.
join-put-back = { $path } jest z powrotem. Jeśli serwer tego nie ma, następna zmiana odłoży to znowu.
join-taken-back = Ostatnia zmiana jest cofnięta.
join-close = Naciśnij Enter, aby zamknąć to okno.
