release-number = version { $number }
release = { $release } de { $name }, publiée le { $day }
ends-soon = note : ses signatures finissent le { $day } ; dis à qui t'a invité qu'il faut la publier à nouveau
unreachable = note : { $address } est injoignable ({ $reason }) ; ce qui y était la dernière fois compte
followed-before = note : jusqu'ici ce jeu suivait { $invite }
nothing-yet = note : il n'y a encore rien de { $game } dans ce dossier
looks-after = note : de ton jeu, cela s'occupe des mods dans { $folders } ; de rien d'autre
looks-after-more = note : de ton jeu, cela s'occupe des mods dans { $folders }, et change ce qui va avec dans { $others } ; rien d'autre
own-folder = le dossier même du jeu
other-version = note : { $what } : { $here } ici, { $there } sur le serveur. Tant que ce n'est pas pareil, tu ne peux pas entrer, quels que soient tes mods
what-game = le jeu
what-loader = le chargeur de ses mods
what-runtime = ce sur quoi tourne le jeu
root-beyond = note : parmi eux est le dossier même du jeu, où sont ses programmes, et pas seulement des dossiers de mods
programs-beyond = note : cela mettrait ou changerait { $programs } hors des dossiers de mods :
programs = { $count ->
    [one] 1 programme ou script
   *[other] { $count } programmes ou scripts
}
beyond-later = note : cela sera demandé à part ; sans terminal il faut --beyond-mods
beyond-nobody = rien n'a été fait, car personne n'a pu être consulté ; si tu fais confiance à ce point à qui t'a invité, ajoute --beyond-mods
interrupted = la dernière fois s'est interrompue après { $done } étapes sur { $all } ; elle est d'abord terminée

key-yes = o
key-no = n
ask-do = Le faire ?
ask-optional = Prendre aussi { $mod } ? On peut jouer sans.
ask-finish = La terminer ?
ask-other = Suivre désormais la nouvelle, et plus l'autre ?
ask-root = Laisser aussi s'occuper de ce dossier ?
ask-trust = Fais-tu confiance à ce point à qui t'a invité ?
ask-anyway = { $error }. Est-ce quand même le dossier du jeu ?

plan = { $game } a besoin de ceci ({ $size } à écrire) :
change-new = nouveau
change-other = changé
change-mended = réparé
change-gone = retiré
change-renamed = renommé
change-kept = gardé
more-mods = { $count ->
    [one] et 1 mod de plus
   *[other] et { $count } mods de plus
}
not-on-server = le serveur ne l'a pas

word-done = fait
word-in-line = à jour
word-still-off = encore à revoir
word-fetched = reçu
done = { $word } : { $game } est à jour avec { $server }
done-partly = { $word } : tout ce qui se peut d'ici
in-line = { $game } est { $word } avec { $server }
still-off = { $word } dans { $game }, et rien à faire d'ici :
take-back = pour revenir en arrière : { $command }
after-update = après la prochaine mise à jour : { $command }
do-this = à faire : { $command }
kept-in = ce qui était là est gardé dans { $folder }
backups-gone = { $size } d'anciennes sauvegardes sont parties ; les { $count } dernières peuvent encore être annulées, et ce qui était à toi reste mis de côté
fetched = { $word } : { $size } pour { $files }
fetched-reused = { $size } en morceaux étaient déjà là
files = { $count ->
    [one] 1 fichier
   *[other] { $count } fichiers
}

join-hello = Bonjour ! On t'a invité à jouer, et ceci prépare ton jeu.
join-safe = Rien ne change avant que tu dises oui, et tout peut être annulé.
join-where = Où est ton jeu ? Tape un numéro ou le dossier ; tu peux glisser le dossier dans cette fenêtre. Entrée seule pour quitter.
join-looks-like-it = { $folder } (cela ressemble au jeu)
join-no-folder = Il n'y a pas de dossier { $folder } ici.
join-no-number = Rien ici n'a le numéro { $number }.
join-menu = { $game } est déjà connu. Et maintenant ? Entrée seule pour 1.
join-menu-ready = Le préparer pour entrer
join-menu-undo = Annuler le dernier changement
join-menu-put-back = Remettre ce qui a été mis de côté
join-menu-report = Écrire un fichier pour qui t'aide
join-menu-other = Le jeu est dans un autre dossier
join-menu-leave = Quitter
join-ready = Tu peux entrer. Amuse-toi bien !
join-again = Relance ce programme après une mise à jour du serveur, ou pour annuler ceci.
join-as-known = Ton jeu est comme le serveur le voulait quand on a pu lui demander la dernière fois. Il veut peut-être autre chose maintenant.
join-not-ready = Tu ne peux pas encore entrer. Ce qui manque est au-dessus.
join-nothing-changed = Rien n'a été changé.
join-report = Envoie ce fichier à qui t'aide : { $file }
join-aside = Ceci a été mis de côté. Que veux-tu remettre ? Tape un numéro ; Entrée seule pour quitter.
join-aside-none = Rien n'a été mis de côté ici.
join-aside-taken = Il y a maintenant autre chose à { $path }, et cela reste.
join-put-back = { $path } est remis. Si le serveur ne l'a pas, la prochaine mise à jour le remettra de côté.
join-taken-back = Le dernier changement est annulé.
join-close = Appuie sur Entrée pour fermer cette fenêtre.

reply-why-sure = Voici pourquoi tu n’as pas pu rejoindre :
reply-why-likely = C’est très probablement pour cela que tu n’as pas pu rejoindre :
reply-not-agreed = On n’a pas encore décidé lequel des deux est le bon. Ne change rien : je décide, puis je te le dis.
reply-differ = Là où ton jeu et le serveur diffèrent seulement, je décide lequel est le bon, puis je te le dis.
reply-server-only = Tu n’as pas pu rejoindre, et ce n’est pas ta faute. C’est le serveur qu’il faut réparer :
reply-server-too = Ceci vient du serveur, et je le répare :
reply-wait = Tu n’as rien à changer pour cela. Réessaie quand je te le dirai.
reply-what-to-do = Que faire :
reply-close = Ferme le jeu.
reply-run = Ouvre un terminal dans le dossier du jeu et tape : { $command }
reply-start = Lance le jeu et rejoins à nouveau.
reply-got-in = Le journal du serveur dit que la dernière fois tu es entré. Est-ce un autre essai qui a échoué ? Alors réessaie, et dis-moi quand.
reply-unknown = Je ne peux pas encore dire pourquoi tu n’as pas pu rejoindre.
reply-may-be = C’est peut-être l’une de ces choses, je n’en suis pas sûr :
reply-puts-right = Ferme le jeu, ouvre un terminal dans son dossier et tape : { $command }
reply-still = Cela remet tous les mods en ordre. Si tu ne peux toujours pas rejoindre :
reply-send = Envoie-moi, s’il te plaît :
reply-send-log = le journal du jeu au moment de ton essai
reply-send-list = la liste de tes mods avec leurs versions (une image du dossier des mods suffit)
reply-send-words = ce que le jeu a dit, mot pour mot, et quand tu as essayé
reply-send-file = Si tu as le programme kanon, le fichier mine.json en dit le plus. Tape ceci dans le dossier du jeu, avec le livre de règles que je t’envoie :
reply-some-missing = { $side ->
    [client] il manque un des mods dans ton jeu ; rien ne dit lequel
    [server] il manque un mod au serveur ; rien ne dit lequel
   *[none] il manque un mod à l’un des deux ; rien ne dit lequel
}
reply-some-extra = { $side ->
    [client] ton jeu a un mod de trop ; rien ne dit lequel
    [server] le serveur a un mod de trop ; rien ne dit lequel
   *[none] un côté a un mod de trop ; rien ne dit lequel
}
reply-some-other = { $side ->
    [client] un de tes mods n’est pas comme il faut : une autre version ou des fichiers modifiés ; rien ne dit lequel
    [server] un des mods du serveur n’est pas comme il faut : une autre version ou des fichiers modifiés ; rien ne dit lequel
   *[none] un des mods n’est pas le même des deux côtés : une autre version ou des fichiers modifiés ; rien ne dit lequel
}
reply-missing = { $side ->
    [client] il te manque { $mod }
    [server] il manque au serveur { $mod }
   *[none] il manque à l’un des deux { $mod }
}
reply-extra = { $side ->
    [client] tu as { $mod }, le serveur non
    [server] le serveur a { $mod }, l’autre côté non
   *[none] un côté a { $mod }, l’autre non
}
reply-off = { $side ->
    [client] chez toi, { $mod } est désactivé
    [server] sur le serveur, { $mod } est désactivé
   *[none] d’un côté, { $mod } est désactivé
}
reply-twice = { $side ->
    [client] tu as { $mod } en double
    [server] le serveur a { $mod } en double
   *[none] un côté a { $mod } en double
}
reply-older = { $side ->
    [client] ton { $mod } est trop ancien
    [server] le { $mod } du serveur est trop ancien
   *[none] le { $mod } d’un côté est trop ancien
}
reply-newer = { $side ->
    [client] ton { $mod } est trop récent
    [server] le { $mod } du serveur est trop récent
   *[none] le { $mod } d’un côté est trop récent
}
reply-other = { $side ->
    [client] ton { $mod } a une autre version
    [server] le { $mod } du serveur a une autre version
   *[none] le { $mod } d’un côté a une autre version
}
reply-content = { $side ->
    [client] ton { $mod } a été modifié : ses fichiers ne sont pas ceux qu’il faut
    [server] le { $mod } du serveur a été modifié : ses fichiers ne sont pas ceux qu’il faut
   *[none] le { $mod } d’un côté a été modifié : ses fichiers ne sont pas ceux qu’il faut
}
reply-damaged = { $side ->
    [client] ton { $mod } est abîmé
    [server] le { $mod } du serveur est abîmé
   *[none] le { $mod } d’un côté est abîmé
}
reply-game = { $side ->
    [client] ton jeu a une autre version
    [server] le jeu du serveur a une autre version
   *[none] le jeu d’un côté a une autre version
}
reply-loader = { $side ->
    [client] ce qui charge tes mods a une autre version
    [server] ce qui charge les mods du serveur a une autre version
   *[none] ce qui charge les mods d’un côté a une autre version
}
reply-runtime = { $side ->
    [client] ce sur quoi tourne ton jeu a une autre version
    [server] ce sur quoi tourne le jeu du serveur a une autre version
   *[none] ce sur quoi tourne le jeu d’un côté a une autre version
}
reply-memory = { $side ->
    [client] ton jeu a trop peu de mémoire
    [server] le jeu du serveur a trop peu de mémoire
   *[none] le jeu d’un côté a trop peu de mémoire
}
reply-is-should = { $what } : c’est { $is }, et ce devrait être { $should }
reply-should = { $what } : ce devrait être { $should }
reply-is = { $what } : c’est { $is }
reply-in-game = { $what }, dans ton jeu
step-list = Compare tes mods avec la liste que je t’envoie : il en manque un.
step-list-versions = Compare tes mods et leurs versions avec la liste que je t’envoie : l’un d’eux est différent.
step-install = Installe { $mod }.
step-install-at = Installe { $mod } : sa place est { $place }.
step-install-into = Installe { $mod } dans le dossier { $place }.
step-take-out = Retire { $mod } de ton jeu{ $where }.
step-switch-on = Réactive { $mod }{ $where }.
step-replace = Remplace ton { $mod } par la version { $should }{ $where }.
step-get-again = Récupère { $mod } à nouveau et mets-le à la place du tien{ $where }.
step-game = Passe le jeu à la version { $should }.
step-install-version = Installe { $should }.
step-the-file = { "" } (le fichier { $place })
step-in-folder = { "" } (dans le dossier { $place })
kept-ban = Tu n’as pas pu rejoindre parce que tu es banni du serveur. Tes mods n’y sont pour rien. Demande à celui qui tient le serveur.
kept-list = Tu n’as pas pu rejoindre parce que tu n’es pas sur la liste de ceux qui le peuvent. Tes mods n’y sont pour rien : je dois t’ajouter.
kept-full = Tu n’as pas pu rejoindre parce que le serveur était plein. Tes mods n’y sont pour rien. Réessaie quand quelqu’un sera parti.
kept-password = Tu n’as pas pu rejoindre à cause du mot de passe. Tes mods n’y sont pour rien. Tape-le encore une fois, ou demande-le-moi.
kept-account = Tu n’as pas pu rejoindre à cause de ton compte. Tes mods n’y sont pour rien. Ferme le jeu, reconnecte-toi et réessaie.
kept-connection = La liaison entre ton jeu et le serveur s’est coupée. Vérifie l’adresse et le port que tu as tapés et réessaie ; si d’autres entrent, regarde ton propre réseau.
page-title = { $name } : ce qu’il faut installer
page-lead = { $game } avec { $loader }
page-release = Version { $number }
page-mods = { $count ->
    [one] 1 mod
   *[other] { $count } mods
}, { $size }
page-how = Comment rejoindre
page-program-lead = Laisse faire.
page-program = Télécharge le programme pour ton système et lance-le d’un double clic. Il demande où est ton jeu, dit ce qu’il va faire, et le fait quand tu dis oui ; tout peut être annulé.
page-for = pour { $system }
page-trust = Relance le même programme après une mise à jour du serveur. Il n’est pas signé par l’éditeur de ton système, qui demandera peut-être si tu lui fais confiance : il vaut ce que vaut cet endroit.
page-linux = Sous Linux, autorise-le d’abord à s’exécuter :
page-kanon = Avec Kanon.
page-kanon-or = Ou avec Kanon, si tu l’as.
page-type = Dans le dossier du jeu, tape ceci :
page-copy = Copier
page-copied = Copié
page-later = Après une mise à jour du serveur, simplement : { $follow }. Pas content : { $undo }.
page-makers = Kanon vient de { $open }ceux qui le font{ $close }.
page-archive-lead = À la main, d’un coup.
page-archive = Télécharge { $open }tous les mods en une archive{ $close } et décompresse-la dans le dossier du jeu. Le reste à faire y est écrit, et plus bas.
page-each-lead = À la main, un par un.
page-each = Depuis le { $open }tableau{ $close }, comme le dit { $steps }la liste plus bas{ $close }.
page-code = L’invitation en code QR
page-new = Nouveau depuis la version { $number }
page-nothing-new = Rien qui te concerne.
news-new = { $mod } { $to } est nouveau
news-gone = { $mod } { $from } n’y est plus : retire-le
news-bytes = { $mod } { $to } a un autre contenu sous la même version
news-becomes = { $mod } { $from } devient { $to }
page-table = Mods, dans leur ordre
page-find = Trouver un mod
page-found = { $seen } sur { $all }
col-number = N°
col-mod = Mod
col-version = Version
col-file = Fichier ou dossier
col-where = Où le mettre
col-size = Taille
page-optional = facultatif
page-needs = a besoin de { $mods }
page-download = télécharger
page-bytes = { $count } octets
page-digest-one = empreinte
way-folder = dossier
way-file = fichier
way-files = fichiers côte à côte
way-overlay = surcouche
way-id = par identifiant
where-id = le jeu le récupère
where-overlay = posé dans { $places }
where-and = { " et " }
page-server-alone = Seul le serveur a { $mods } ; inutile de { $count ->
    [one] le
   *[other] les
} chercher.
page-line = Ligne de lancement
page-line-into = Dans { $file }, ou là d’où tu lances le jeu, exactement ainsi, ordre compris :
page-line-anywhere = Là d’où tu lances le jeu, exactement ainsi, ordre compris :
page-by-hand = À la main
hand-close = Ferme le jeu et mets une copie de ses dossiers de mods de côté, au cas où tu voudrais les retrouver.
hand-take-out = De ces dossiers, retire tout fichier et dossier qui n’est pas dans le tableau ci-dessus. { $own }.
hand-own-stay = Tes propres mods peuvent rester s’ils ne concernent que ton jeu ; pas d’autres versions des mods ci-dessus
hand-own-go = D’autres mods ne sont pas les bienvenus sur ce serveur
hand-file = Mets chaque fichier à sa place sous le nom exact du tableau, majuscules comprises. Ne le décompresse pas.
hand-files = Si un mod se compose de plusieurs fichiers, mets-les tous côte à côte à sa place, sous les noms exacts de sa liste.
hand-folder = Mets chaque dossier à sa place sous le nom exact du tableau, avec les fichiers de sa liste et aucun autre.
hand-overlay = Pose les éléments de chaque surcouche dans son archive, dans l’ordre du tableau.
hand-id = Les mods sans fichiers sont récupérés par le jeu lui-même, par leur identifiant.
hand-copies = Copie ces fichiers de mods là où le jeu les cherche :
hand-copy = { $to }, de { $mod }
hand-entries = Colle ces entrées dans les fichiers de données du jeu, chacune une fois :
hand-entry = { $into } : { $keys } de { $from } de { $mod }, avant { $before }
hand-list = Dans { $file } ({ $name }), ces mods doivent être activés :
hand-list-ordered = Dans { $file } ({ $name }), ces mods doivent être activés, dans cet ordre :
hand-settings = Mets ces valeurs :
hand-setting = { $file } : { $name } doit être { $value } (à { $at })
hand-start = Lance le jeu et rejoins.
hand-start-line = Lance le jeu avec la ligne de lancement ci-dessus et rejoins.
page-cant = Tu ne peux pas rejoindre ?
page-cant-send = Envoie à celui qui tient le serveur ce que tu as. Ceci le note ; le fichier nomme les mods et leurs fichiers, et rien d’autre de ta machine :
page-cant-run = Lance-le dans le dossier du jeu. Si rien n’y est suivi, ajoute { $option }, avec { $open }le livre de règles{ $close } à côté.
page-cant-sent = Lance-le dans le dossier du jeu. Si rien n’y est suivi, ajoute { $option }, avec à côté le livre de règles que tu as reçu.
page-digest = L’ensemble a l’empreinte { $digest }.
page-foot = Cette page est faite pour être lue ; ce que { $command } récupère est vérifié par ses signatures.
notes-title = { $name } : tous les mods pour { $game }
notes-unpack = Décompresse ceci dans le dossier du jeu et laisse-le remplacer ce qui s’y trouve. Ferme d’abord le jeu.
notes-before = Avant cela, retire de { $folders } tout mod qui n’est pas ici : un ancien à côté d’un nouveau t’empêche d’entrer.
notes-left = Pas ici, à obtenir comme le dit la page : { $mods }.
notes-list = Activés dans { $file } :
notes-list-ordered = Activés dans { $file }, dans cet ordre :
notes-start = Lance le jeu avec :
